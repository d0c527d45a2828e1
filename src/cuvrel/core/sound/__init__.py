"""What is heard of a shot."""
