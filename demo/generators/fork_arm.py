#!/usr/bin/env python3
"""The fork arm of a telescope on a horizontal mill: its four sides faced and drilled, and a deep bore with a helical counterbore, grooves
across its mouth and a ring of deep holes. The part's zero is the middle of its foot, on the table's axis, Y up; the spindle lies along Z.
All numbers in mm.

usage: fork_arm.py [FOLDER]"""
import math

from cl_text import ClFile

SIDES = ((0, 150.0, 110.0), (90, 120.0, 140.0), (180, 150.0, 110.0), (270, 120.0, 140.0))  # table, distance, half width


def place(across, height, outwards, degrees):
    """A tip and axis before a side: `across` to the right as the spindle sees it."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return (across * c + outwards * s, height, outwards * c - across * s, (s, 0.0, c))


def start(title, tool, speed):
    cl = ClFile(title)
    cl.add("MULTAX/ON")
    cl.add(f"LOADTL/ {tool}")
    cl.add(f"SPINDL/ {speed}, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    return cl


def sides():
    cl = start("FORK ARM SIDES", 31, 1250)
    for degrees, distance, half in SIDES:
        cl.remark(f"side {degrees}")
        for level in (1.5, 0.0):
            cl.rapid(*place(-half - 40, 34.0, distance + 60, degrees))
            cl.rapid(*place(-half - 40, 34.0, distance + level + 3, degrees))
            cl.add("FEDRAT/ 300.0, MMPM")
            cl.goto(*place(-half - 40, 34.0, distance + level, degrees))
            cl.add("FEDRAT/ 780.0, MMPM")
            for row in range(10):
                height = 34.0 + 17.5 * row
                ends = (-half - 40, half + 40) if row % 2 == 0 else (half + 40, -half - 40)
                cl.goto(*place(ends[0], height, distance + level, degrees))
                cl.goto(*place(ends[1], height, distance + level, degrees))
            cl.rapid(*place(-half - 40, 34.0 + 17.5 * 9, distance + 60, degrees))
    cl.write("fork-sides")


def holes():
    cl = start("FORK ARM BOLT HOLES", 32, 1900)
    for degrees, distance, half in SIDES:
        cl.remark(f"side {degrees}")
        cl.rapid(*place(-half + 20, 40.0, distance + 30, degrees))
        cl.add("CYCLE/DRILL, DEPTH, 26.0, CLEAR, 2.0, MMPM, 210.0")
        for row in range(4):
            for column in range(7):
                cl.goto(*place(-half + 20 + (2 * half - 40) * column / 6, 40.0 + 36.0 * row, distance, degrees))
        cl.add("CYCLE/OFF")
        cl.rapid(*place(half - 20, 148.0, distance + 30, degrees))
    cl.write("fork-holes")


def bore():
    cl = start("FORK ARM DEEP BORE", 33, 900)
    axis = (0.0, 0.0, 1.0)
    y, radius, top = 110.0, 21.5, 150.0
    cl.rapid(radius, y, top + 40, axis)
    cl.rapid(radius, y, top + 2, axis)
    cl.add("FEDRAT/ 240.0, MMPM")
    z = top + 2
    while z > top - 165.0:
        nearer = max(z - 4.5, top - 165.0)
        cl.circle((0.0, y, z), (0, 0, 1), radius, (radius, y, nearer, axis))
        z = nearer
    cl.circle((0.0, y, z), (0, 0, 1), radius, (radius, y, z, axis))
    cl.goto(0.0, y, z, axis)
    cl.rapid(0.0, y, top + 40, axis)
    cl.remark("grooves across the mouth, along arcs in the ZX plane, there and back")
    for k in range(12):
        height = y - 33.0 + 6.0 * k
        cl.rapid(-30.0, height, top + 20, axis)
        cl.rapid(-30.0, height, top + 2, axis)
        cl.add("FEDRAT/ 220.0, MMPM")
        cl.goto(-30.0, height, top, axis)
        cl.circle((0.0, height, top + 40.0), (0, -1, 0), 50.0, (30.0, height, top, axis))
        cl.circle((0.0, height, top + 40.0), (0, 1, 0), 50.0, (-30.0, height, top, axis))
        cl.rapid(-30.0, height, top + 20, axis)
    cl.write("fork-bore")


def ring():
    cl = start("FORK ARM RING OF DEEP HOLES", 34, 1500)
    axis = (0.0, 0.0, 1.0)
    cl.rapid(48.0, 110.0, 190.0, axis)
    cl.add("CYCLE/DEEP, DEPTH, 140.0, CLEAR, 2.0, STEP, 12.0, $\n    RTRCTO, 10.0, MMPM, 150.0")
    for k in range(12):
        a = math.radians(30 * k)
        cl.goto(48.0 * math.cos(a), 110.0 + 48.0 * math.sin(a), 150.0, axis)
    cl.add("CYCLE/OFF")
    cl.rapid(48.0 * math.cos(a), 110.0 + 48.0 * math.sin(a), 190.0, axis)
    cl.write("fork-ring")


sides()
holes()
bore()
ring()
