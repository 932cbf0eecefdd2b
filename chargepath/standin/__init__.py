"""Simulated devices and meters. They know nothing of the knowledge's likelihoods."""
