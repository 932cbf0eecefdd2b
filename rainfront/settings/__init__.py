"""Settings: demo, test and production share base."""
