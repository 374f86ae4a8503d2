"""Noise: measure the noise print, stabilise the variance, reduce."""
