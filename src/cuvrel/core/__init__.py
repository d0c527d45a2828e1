"""The job's rules and all computation: NumPy in, NumPy out."""
