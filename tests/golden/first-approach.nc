; expect first-approach 6 25.000 mm above the stock's top
; expect first-approach 10 5.000 mm above
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25.
G0 Z50.
T2 M6
G0 X-30. Y-20. S1000 M3
G43 H2 Z5.
G0 Z50.
M5
M30
