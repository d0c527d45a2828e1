"""Picture arithmetic that knows no recipe: colour, blending, filters, rasters, kernels over rows, small networks."""
