"""What this shop goes by: its numbers against the shipped ones, its prices and minutes, what its jobs taught."""
