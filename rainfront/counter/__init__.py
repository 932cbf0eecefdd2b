"""The counter: visits, contacts, what was charged and paid, papers for customers, told when ready, come-backs."""
