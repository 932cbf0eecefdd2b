"""Parts on the shelf: what came in, what a repair used, what was counted."""
