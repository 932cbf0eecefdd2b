"""Simulated devices and meters, beside the other rooms: tests, the evaluation and the demo read from them.

Rules: they know nothing of the knowledge's likelihoods, and nothing that a shop works with imports them.
"""
