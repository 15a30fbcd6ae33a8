; three passes by a loop and a subprogram: nothing to find
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X20. Y50. S3000 M3
G43 H1 Z10.
#1=0
WHILE [#1 LT 3] DO 1
G0 X[20+#1*15] Y50.
M98 P500
#1=[#1+1]
END 1
G0 Z50.
M5
M30
O500
G0 Z2.
G1 Z-[#1+1] F200
Y30. F400
G0 Z10.
M99
