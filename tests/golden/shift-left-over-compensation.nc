; expect shift-left-over 5:1 radius compensation left
;! [start]
;! compensation = "G41"
;! d = 1
G0 G90 G54 X-20. Y-20. (nothing cancels what the last job left)
G21 G17 G40 G49 G80
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25. M8
M5
M30
