; expect offset-missing 8 no offset on
; expect cuts-air 5
G21 G40 G97 G99 G54
G50 S2500
T0100
G96 S150 M3
G0 X300. Z0.
G1 Z-10. F0.2
G0 Z50.
M5
M30
