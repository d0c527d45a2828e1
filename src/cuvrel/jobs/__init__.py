"""Long work: bringing footage in, following, exporting. Tasks in a queue that lives in PostgreSQL."""
