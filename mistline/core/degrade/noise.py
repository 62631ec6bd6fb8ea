"""Capture noise: plain Gaussian noise of a known sigma, or that of a sensor at a given exposure.

References
----------
.. [1] G. E. Healey, R. Kondepudy, "Radiometric CCD camera calibration and noise estimation", IEEE Trans.
       Pattern Anal. Mach. Intell. 16(3), 267-276, 1994: shot noise and read noise.
.. [2] B. E. Bayer, US patent 3,971,065, 1976: the colour filter mosaic.
"""

import cv2
import numpy as np

from mistline.core.frame import Array, Frame, decode_srgb, encode_srgb, luma

__all__ = ["FULL_WELL", "READ_NOISE", "exposure_noise", "gaussian_noise", "sensor_code_values", "sensor_sigma"]

FULL_WELL = 20_000.0  # electrons of white at 0 stops; common practice for a small modern sensor
READ_NOISE = 3.0  # electrons
BILINEAR = np.array([[0.25, 0.5, 0.25], [0.5, 1, 0.5], [0.25, 0.5, 0.25]], np.float32)
QUINCUNX = np.array([[0, 0.25, 0], [0.25, 1, 0.25], [0, 0.25, 0]], np.float32)


Seed = int | np.random.SeedSequence


def gaussian_noise(frame: Frame, sigma: float, seed: Seed) -> Frame:
    """Add independent Gaussian noise of `sigma` 8-bit code values to every encoded value."""
    rng = np.random.default_rng(seed)
    noise = rng.standard_normal(frame.pixels.shape, np.float32)
    return frame.with_pixels(frame.pixels + noise * np.float32(sigma / 255))


def sensor_sigma(linear: Array, stops: float) -> Array:
    """Sigma of the noise at each value of linear light 0..1, of a sensor given `stops` too little light and lifted.

    White fills 20 000 electrons at 0 stops and half as many with each stop. Shot noise has the variance of
    the electrons, read noise a sigma of 3 electrons [1]_.
    """
    white = FULL_WELL / 2.0**stops
    sigma: Array = np.sqrt(np.maximum(linear, 0) * white + READ_NOISE**2).astype(np.float32) / np.float32(white)
    return sigma


def sensor_code_values(stops: float, level: float) -> float:
    """About how much luma noise, in 8-bit code values, `exposure_noise` leaves at a brightness 0..1.

    A flat colour picture of 64 x 64 pixels is sent through it.
    """
    flat = Frame(np.full((64, 64, 3), level, np.float32), 8)
    noisy = luma(np.clip(exposure_noise(flat, stops, 0).pixels, 0, 1))
    return float(noisy.std() * 255)


def exposure_noise(frame: Frame, stops: float, seed: Seed) -> Frame:
    """Add the noise of a sensor that was given `stops` too little light and lifted again (`sensor_sigma`).

    The noise of a picture with three channels is drawn on the sites of a colour mosaic [2]_ and interpolated over
    3 x 3 pixels, so that it is soft, and coarser in red and blue than in green, as after a camera's demosaicing.
    """
    rng = np.random.default_rng(seed)
    linear = decode_srgb(frame.pixels)
    noise = sensor_sigma(linear, stops) * rng.standard_normal(linear.shape[:2], np.float32)[..., None]
    if linear.shape[2] == 3:
        noise = _demosaic(noise)
    return frame.with_pixels(encode_srgb(linear + noise))


def _demosaic(noise: Array) -> Array:
    """Keep each channel only on its sites of the mosaic, and interpolate between them."""
    sites = np.zeros(noise.shape, np.float32)
    sites[0::2, 0::2, 0] = sites[1::2, 1::2, 2] = 1
    sites[0::2, 1::2, 1] = sites[1::2, 0::2, 1] = 1
    planes = [
        cv2.filter2D(np.ascontiguousarray((noise * sites)[..., channel]), cv2.CV_32F, kernel,
                     borderType=cv2.BORDER_REFLECT_101)
        for channel, kernel in enumerate((BILINEAR, QUINCUNX, BILINEAR))
    ]  # fmt: skip
    return np.stack(planes, axis=-1)
