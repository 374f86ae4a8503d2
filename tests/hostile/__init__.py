"""What somebody hostile, or only unlucky, can put before Dustpan: nothing is lost, nothing never ends."""
