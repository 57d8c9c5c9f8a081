#!/usr/bin/env python3
"""Numerals for the setting circle of a telescope, drawn flat: X is the way round the circle's rim (radius 55), Y runs along its axis, Z
is the height over the rim. The job winds them round. All numbers in mm.

usage: circle_numerals.py [FOLDER]"""
import math

from cl_text import ClFile

RADIUS = 55.0
DEPTH = 0.25
UP = (0.0, 0.0, 1.0)

# Strokes in a box of 2 by 3.6: points, and arcs as (centre, end, sense) behind the point they begin at.
STROKES = {
    "0": [[(0, 1), ("arc", (1, 1), (2, 1), 1), (2, 2.6), ("arc", (1, 2.6), (0, 2.6), 1), (0, 1)]],
    "1": [[(0.4, 2.9), (1.1, 3.6), (1.1, 0)]],
    "2": [[(0, 2.6), ("arc", (1, 2.6), (2, 2.6), -1), (0, 0), (2, 0)]],
    "3": [[(0.1, 3.6), (1.9, 3.6), (1, 2.2), ("arc", (1, 1.1), (1, 0), -1), (0.1, 0.3)]],
    "4": [[(1.5, 0), (1.5, 3.6), (0, 1), (2, 1)]],
    "5": [[(1.9, 3.6), (0.2, 3.6), (0.2, 2.2), (1, 2.2), ("arc", (1, 1.1), (1, 0), -1), (0.1, 0.3)]],
    "6": [[(1.7, 3.6), (0, 1.1), ("arc", (1, 1.1), (2, 1.1), 1), ("arc", (1, 1.1), (0, 1.1), 1)]],
    "7": [[(0, 3.6), (2, 3.6), (0.7, 0)]],
    "8": [[(1, 1.9), ("arc", (1, 2.75), (1, 3.6), 1), ("arc", (1, 2.75), (1, 1.9), 1),
           ("arc", (1, 0.95), (1, 0), -1), ("arc", (1, 0.95), (1, 1.9), -1)]],
    "9": [[(0.3, 0), (2, 2.5), ("arc", (1, 2.5), (0, 2.5), 1), ("arc", (1, 2.5), (2, 2.5), 1)]],
}


def engrave(cl, stroke, x, y):
    start = stroke[0]
    cl.rapid(x + start[0], y + start[1], 3.0, UP)
    cl.add("FEDRAT/ 120.0, MMPM")
    cl.goto(x + start[0], y + start[1], -DEPTH, UP)
    cl.add("FEDRAT/ 260.0, MMPM")
    here = start
    for step in stroke[1:]:
        if step[0] == "arc":
            _, centre, end, sense = step
            radius = math.hypot(here[0] - centre[0], here[1] - centre[1])
            cl.circle((x + centre[0], y + centre[1], -DEPTH), (0, 0, sense), radius, (x + end[0], y + end[1], -DEPTH, UP))
            here = end
        else:
            cl.goto(x + step[0], y + step[1], -DEPTH, UP)
            here = step
    cl.rapid(x + here[0], y + here[1], 3.0, UP)


cl = ClFile("SETTING CIRCLE NUMERALS")
cl.add("MULTAX/ON")
cl.add("LOADTL/ 11")
cl.add("SPINDL/ 18000, RPM, CLW")
cl.add("COOLNT/AIR")
for k in range(36):
    text = str(10 * k)
    width = 2.0 * len(text) + 0.7 * (len(text) - 1)
    for i, digit in enumerate(text):
        for stroke in STROKES[digit]:
            engrave(cl, stroke, RADIUS * math.radians(10 * k) - width / 2 + 2.7 * i, 16.0)
cl.write("circle-numerals")
