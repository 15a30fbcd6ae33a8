; a contour entered and left on tangent arcs, as it should be: nothing to find
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X60. Y-20.
Z2.
G1 Z-3. F200
G41 D1 X60. Y-2. F400
G3 X50. Y8. I-10. J0
G1 X8.
Y52.
X92.
Y8.
X50.
G3 X40. Y-2. I0 J-10.
G1 G40 X40. Y-20.
G0 Z50. M9
M5
M30
