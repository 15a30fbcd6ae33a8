; expect stopped-tool-into-stock 6:1 2.000 mm into
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X50. Y30.
G43 H1 Z2.
G1 Z-2. F200
X60.
G0 Z50.
M30
