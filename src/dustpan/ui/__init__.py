"""The window: shows and asks, computes nothing about pixels beyond drawing them."""
