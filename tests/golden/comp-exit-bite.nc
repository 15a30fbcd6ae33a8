; expect comp-exit-remains 15 lead-out gouges
; the G40 move at depth goes back across the corner of the part
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X50. Y-20.
Z2.
G1 Z-3. F200
G41 D1 X50. Y8. F400
X8.
Y52.
X92.
Y8.
G1 G40 X80. Y30.
G0 Z50. M9
M5
M30
