; expect too-deep 10 cutting length is 12.000 mm
; expect holder-into-stock 10 the holder
;!- stickout = 40.0 => stickout = 12.0
;!- APMX = 22.0 => APMX = 12.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
G0 X50. Y30. Z2.
G1 Z-15. F200
G0 Z50. M9
M5
M30
