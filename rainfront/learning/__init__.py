"""What closed jobs teach: examples, their tally, and when the numbers are worked out anew."""
