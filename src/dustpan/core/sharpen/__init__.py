"""Sharpening that knows the noise and keeps within the local range."""
