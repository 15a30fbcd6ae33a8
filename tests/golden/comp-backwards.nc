; expect comp-backwards 11 too short
; a step of 2 mm, lower than the cutter's radius
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X-30. Y-40. Z20.
G1 G41 D1 Y-30. F400
X20.
X40.
N11 Y-28.
X60.
G40 Y-10.
G0 Z50. M9
M5
M30
