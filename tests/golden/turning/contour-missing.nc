; expect subprogram-missing 7 not in this program
G21 G40 G97 G99 G54
G50 S2500
T0101
G96 S150 M3
G0 X40. Z2.
G71 P10 Q90 D2. U0.4 W0.1 F0.25
G0 X44.
G0 X200. Z100. M5
M30
