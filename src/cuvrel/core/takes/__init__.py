"""Two recordings of one set-up: how one lies on the other, and how its light differs."""
