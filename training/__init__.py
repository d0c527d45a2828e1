"""How the follower's small network is trained: composites made up here, evidence gathered by the follower itself."""
