"""What is kept: rows in PostgreSQL, blobs in a content-addressed store, and the rules of keeping them."""
