"""Mistline: compare upscaling and denoising methods on the same source and choose one for each kind."""

__version__ = "0.1.0"
