"""Motion in the picture: dense flow, and what it says of subject and background."""
