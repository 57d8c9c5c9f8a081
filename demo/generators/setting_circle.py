#!/usr/bin/env python3
"""The setting circle of a telescope on a router with a rotary unit: 360 graduation lines in the rim, a clamp groove that winds two and
a half times round it, and index marks on opposite sides. The part's zero lies on the circle's axis, which is X; the tool stands
radially. All numbers in mm.

usage: setting_circle.py [FOLDER]"""
import math

from cl_text import ClFile

RADIUS = 55.0


def pose(x, radius, degrees):
    """Tip and axis at an angle about X, counted from +Z towards +Y."""
    s, c = math.sin(math.radians(degrees)), math.cos(math.radians(degrees))
    return (x, radius * s, radius * c, (0.0, s, c))


def start(title, tool, speed):
    cl = ClFile(title)
    cl.add("MULTAX/ON")
    cl.add(f"LOADTL/ {tool}")
    cl.add(f"SPINDL/ {speed}, RPM, CLW")
    cl.add("COOLNT/AIR")
    return cl


def mark(cl, degrees, x, length, depth):
    cl.rapid(*pose(x, RADIUS + 2.0, degrees))
    cl.add("FEDRAT/ 300.0, MMPM")
    cl.goto(*pose(x, RADIUS - depth, degrees))
    cl.add("FEDRAT/ 700.0, MMPM")
    cl.goto(*pose(x + length, RADIUS - depth, degrees))
    cl.rapid(*pose(x + length, RADIUS + 2.0, degrees))


def graduation():
    cl = start("SETTING CIRCLE GRADUATION", 11, 18000)
    for degree in range(360):
        length = 6.0 if degree % 10 == 0 else 4.5 if degree % 5 == 0 else 3.0
        mark(cl, degree, 2.0, length, 0.25 if degree % 10 == 0 else 0.2)
    cl.write("circle-graduation")


def groove():
    cl = start("SETTING CIRCLE CLAMP GROOVE", 12, 14000)
    turns, step = 2.5, 5
    count = int(360 * turns / step)
    cl.rapid(*pose(14.0, RADIUS + 2.0, 0))
    cl.add("FEDRAT/ 200.0, MMPM")
    cl.goto(*pose(14.0, RADIUS - 0.8, 0))
    cl.add("FEDRAT/ 900.0, MMPM")
    for i in range(1, count + 1):
        cl.goto(*pose(14.0 + 9.0 * i / count, RADIUS - 0.8, i * step))
    for i in range(1, 73):  # back round a whole turn at the end, to clear the runout
        cl.goto(*pose(23.0, RADIUS - 0.8, count * step - i * step))
    cl.rapid(*pose(23.0, RADIUS + 2.0, count * step - 360))
    cl.write("circle-groove")


def index():
    cl = start("SETTING CIRCLE INDEX MARKS", 11, 18000)
    # Opposite sides are half a turn apart; the last is the first again but for less than the control can tell.
    for degrees in (0.0, 180.0, 270.0, 90.0, 45.0, 225.0, 359.99996):
        mark(cl, degrees, 26.0, 5.0, 0.3)
    cl.write("circle-index")


if __name__ == "__main__":
    graduation()
    groove()
    index()
