"""What is known of a picture's noise besides its print: how strong it is by place, and what steps do to it."""
