; expect length-number-missing 6:4 number of a length register
; expect length-offset-missing 6
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-30. Y-40.
G0 G43 Z25. M8
M5
M30
