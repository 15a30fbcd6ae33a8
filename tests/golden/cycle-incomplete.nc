; expect cycle-incomplete 8:1 no R
; expect cycle-incomplete 10:1 no Q
; while a cycle is on, what an earlier block gave stays: the second hole of each is told of no more
G21 G17 G40 G49 G80 G90 G94
T2 M6
G0 G54 X20. Y20. S2000 M3
G43 H2 Z2. M8
G81 Z-5. F150
X30.
G83 X40. Z-5. R2.
X50.
G83 X60. Z-5. R2. Q2.
G80
G0 Z50. M9
M5
M30
