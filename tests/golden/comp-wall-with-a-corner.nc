; an open contour with an inside corner, run off the stock: the corner is a corner, nothing to find
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X112. Y60.
Z2.
G1 Z-3. F200
G42 D1 X110. Y40. F400
X50.
Y70.
G40 X70. Y80.
G0 Z50. M9
M5
M30
