"""Where a step applies: masks made of parts."""
