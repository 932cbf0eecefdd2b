"""How a repair is done: the plan of work for one device and route, what is wrong with a plan, jumper wires.

A plan is made of the knowledge's blocks (`chargepath.knowledge.procedures`); nothing here chooses a route.
"""
