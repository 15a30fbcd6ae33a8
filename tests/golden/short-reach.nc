; expect travel-limit 11 overtravels by 5.000 mm
; expect short-reach 11:1 5.000 mm lower than the machine goes
;!- z = -200.0 => z = -458.0
;!- place = [-25.0, 20.0, -5.0] => place = [-25.0, 20.0, -20.0]
;!- length = 75.0 => length = 20.0
;!- stickout = 40.0 => stickout = 15.0
;!- APMX = 22.0 => APMX = 12.0
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-40. Y-40. S3000 M3
G43 H1 Z-27.
M30
