"""References: known-good readings, the meters they were taken with, and the shop's own connectors."""
