"""The heat desk: what air, a plate or an iron does to a joint and what stands beside it; stations and melts."""
