import mistline  # noqa: F401  (before NumPy)
