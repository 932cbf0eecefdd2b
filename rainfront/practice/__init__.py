"""The shop's own practice: its numbers against the shipped ones, its prices and minutes, what its jobs taught."""
