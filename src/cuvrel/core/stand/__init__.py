"""The stand: planes to picture, by a graph of nodes with content keys and a cache."""
