"""What the shop's own numbers tell the apps above them."""

from django.dispatch import Signal

# A new edition of the shop's numbers is in force.
new_numbers = Signal()
# The numbers that learning begins from, or whether it goes on, are others now.
numbers_changed = Signal()
