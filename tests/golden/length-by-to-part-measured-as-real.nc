; expect travel-limit 9
; expect length-register-wrong 9:5 measured down to the part
;!- [zero] => [zero]\nz_by = "to-part"
;! [registers.length]
;! H1 = 75.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25.
M30
