"""Writing results to files: what is written, how, and how parts become a whole."""
