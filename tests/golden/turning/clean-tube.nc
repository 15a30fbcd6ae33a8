;!- shape = "bar"\nsize = [40.0, 90.0] => shape = "tube"\nsize = [40.0, 20.0, 90.0]
G21 G40 G97 G99 G54
G50 S2500
T0505
G96 S120 M3
G0 X22. Z2.
G1 Z-30. F0.1
X19.
G0 Z5.
G0 X200. Z100. M5
M30
