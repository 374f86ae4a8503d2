"""The picture that is open: what is done to it, how it is looked at, and what has been measured of it so far."""
