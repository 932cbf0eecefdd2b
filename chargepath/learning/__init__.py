"""What closed jobs teach: a tally of whole numbers (`tally`), estimates with their intervals out of it (`estimate`),
put on top of the knowledge (`overlay`).

Rules: the number in force without learning (what ships, or what the shop set by hand) is the prior; everything is
shrunk towards it by a fixed number of imagined jobs and carries an interval.
"""
