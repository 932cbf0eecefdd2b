"""The work on a device: the steps of a repair, waits that run by themselves, the map of screws."""
