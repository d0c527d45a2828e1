"""The camera of a shot: where it stood on every frame, its lens, and the points of the scene that say so."""
