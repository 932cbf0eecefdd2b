"""What to do next, in minutes and money: prices, the ratio rule, questions two steps ahead, habits, the working.

Rules: costs are money of the shop; a probability is never changed here. `judgement.judge` is the one way from a case
to an advice.
"""
