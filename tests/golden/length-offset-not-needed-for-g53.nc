; moves in machine coordinates need no length offset
G21 G17 G40 G49 G80 G90 G94
T1 M6
G53 G0 Z-10.
G53 G0 Z0
M30
