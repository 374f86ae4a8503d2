"""Many exposures of one thing, made into one picture: read, calibrated, aligned, combined strip by strip."""
