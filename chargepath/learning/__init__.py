"""What closed jobs teach: estimates with their intervals (`estimate`, `showing`), put on top of the knowledge
(`overlay`).

Rules: the number in force without learning (what ships, or what the shop set by hand) is the prior; everything is
shrunk towards it by a fixed number of imagined jobs and carries an interval.
"""
