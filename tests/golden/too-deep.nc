; expect too-deep 9 cuts 15.000 mm deep, but its cutting length is 12.000 mm
;!- APMX = 22.0 => APMX = 12.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z2. M8
G0 X-10. Y-10.
G1 Z-15. F200
X3. Y3.
G0 Z50. M9
M5
M30
