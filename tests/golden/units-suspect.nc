; expect units-suspect 7 25 times smaller than the stock
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X0.1 Y0.1 Z1.
G1 X3.8 F200
Y2.2
X0.1
Y0.1
G0 Z50.
M5
M30
