"""Mistline: compare upscaling and denoising methods on the same source and choose one for each kind."""

import os

__version__ = "0.1.0"

# Before NumPy is loaded. Matrices are small here, and the threads of its algebra keep waiting busily, on the cores that
# others are timed on.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
