"""The computation behind Rainfront: pure Python and numpy, no web framework, no clock, no environment."""
