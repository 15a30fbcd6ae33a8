; expect length-register-wrong 8:5 40.000 mm lower
; expect rapid-into-stock 8 H1 lets the tip run
;! [registers.length]
;! H1 = 35.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X50. Y30. S3000 M3
G43 H1 Z25. M8
G1 Z24. F100
G0 Z50. M9
M5
M30
