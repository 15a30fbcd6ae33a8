; expect comp-entry-witness 15 ridge of 0.101 mm
; the contour stops 2 mm short of where it began: h = 5 - sqrt(5^2 - 1^2) = 0.101 (the height of a scallop)
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
X52.
G40 Y-20.
G0 Z50. M9
M5
M30
