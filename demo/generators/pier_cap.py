#!/usr/bin/env python3
"""Saw cuts for the granite cap of a telescope's pier: a block of 620 by 460, 40 thick, cut to 560 by 400 with cut-off corners and a front
that is rounded to a radius of 700. The tool axis leads out of the work; the blade stands along its cut, which the job works out. All
numbers in mm, Z 0 is the block's top.

usage: pier_cap.py [FOLDER]"""
import math

from cl_text import ClFile

UP = (0.0, 0.0, 1.0)
HALF = 280.0
BACK = 200.0
CORNER = 60.0
FRONT = 700.0   # radius of the front
ABOVE = 20.0
DEPTHS = (-12.0, -24.0, -36.0, -42.0)

# The front is an arc about a point on the middle line; it ends where the sides begin.
CENTRE = (0.0, -200.0 + FRONT)
FRONT_END = CENTRE[1] - math.sqrt(FRONT ** 2 - HALF ** 2)
STEP = 8.0      # mm along the front


def front():
    span = math.asin(HALF / FRONT)
    count = math.ceil(2 * span * FRONT / STEP)
    return [(FRONT * math.sin(-span + 2 * span * i / count), CENTRE[1] - FRONT * math.cos(-span + 2 * span * i / count))
            for i in range(count + 1)]


def start(cl, x, y):
    cl.rapid(x, y, ABOVE, UP)
    cl.rapid(x, y, 2.0, UP)


def outline(cl):
    """Once round in each depth: front, right side, cut-off corner, back, corner, left side."""
    points = front() + [(HALF, BACK - CORNER), (HALF - CORNER, BACK), (-HALF + CORNER, BACK), (-HALF, BACK - CORNER), (-HALF, FRONT_END)]
    start(cl, *points[0])
    for depth in DEPTHS:
        cl.add("FEDRAT/ 300.0, MMPM")
        cl.goto(*points[0], depth, UP)
        cl.add("FEDRAT/ 1400.0, MMPM")
        for x, y in points[1:]:
            cl.goto(x, y, depth, UP)
    cl.rapid(*points[-1], ABOVE, UP)


def grooves(cl):
    """Drip grooves beside the sides, there and back."""
    for x in (-250.0, 250.0):
        y0, y1 = (-100.0, 110.0)
        start(cl, x, y0)
        cl.add("FEDRAT/ 250.0, MMPM")
        cl.goto(x, y0, -3.0, UP)
        cl.add("FEDRAT/ 900.0, MMPM")
        cl.goto(x, y1, -3.0, UP)
        cl.goto(x, y1, -6.0, UP)
        cl.goto(x, y0, -6.0, UP)
        cl.rapid(x, y0, ABOVE, UP)


def sockets(cl):
    """Three sockets for the pier's bolts: a helix down, once round at the bottom."""
    radius = 9.0
    for x, y in ((-180.0, 0.0), (0.0, 90.0), (180.0, 0.0)):
        start(cl, x + radius, y)
        cl.add("FEDRAT/ 500.0, MMPM")
        cl.goto(x + radius, y, 0.5, UP)
        for i in range(1, 14):
            cl.circle((x, y, 0.5 - 2.0 * (i - 1)), (0, 0, 1), radius, (x + radius, y, 0.5 - 2.0 * i, UP))
        cl.circle((x, y, -25.5), (0, 0, 1), radius, (x + radius, y, -25.5, UP))
        cl.goto(x, y, -25.5, UP)
        cl.rapid(x, y, ABOVE, UP)


for name, title, tool, speed, cut in (("pier-outline", "PIER CAP OUTLINE", 51, 1600, outline), ("pier-grooves", "PIER CAP GROOVES", 51, 1600, grooves),
                                     ("pier-sockets", "PIER CAP SOCKETS", 52, 9000, sockets)):
    cl = ClFile(title)
    cl.add("MULTAX/ON")
    cl.add(f"LOADTL/ {tool}")
    cl.add(f"SPINDL/ {speed}, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    cut(cl)
    cl.write(name)
