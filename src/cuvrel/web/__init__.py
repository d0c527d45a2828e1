"""The web service: resources, events, errors and the front end's files."""
