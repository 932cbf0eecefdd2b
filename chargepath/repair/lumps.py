"""The six lumps of heat by number: joint, the zone round it, the part's plastic core, the rest of the board, one
neighbour, the cell's edge; and how many sources there are (jet, plate, iron).
"""

JOINT, ZONE, CORE, BOARD, NEIGHBOUR, CELL = range(6)
LUMPS, SOURCES = 6, 3
