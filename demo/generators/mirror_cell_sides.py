#!/usr/bin/env python3
"""The mirror cell's rim, bored and milled from the side through heads: bores in five and in six directions, and a pad with a recess.
The part's zero is the middle of the upper face, Z up; the rim stands at a radius of 131. All numbers in mm.

usage: mirror_cell_sides.py [FOLDER]"""
import math

from cl_text import ClFile

RADIUS = 131.0
CLEAR = 6.0


def place(across, height, outwards, degrees):
    """A tip and axis beside the rim: `across` along the rim, counter-clockwise, `outwards` from the part's axis."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return (outwards * c - across * s, outwards * s + across * c, height, (c, s, 0.0))


def start(title, tool, speed):
    cl = ClFile(title)
    cl.add("MULTAX/ON")
    cl.add(f"LOADTL/ {tool}")
    cl.add(f"SPINDL/ {speed}, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    return cl


def bores(name, title, tool, speed, directions, pattern, cycle, offset=0.0):
    cl = start(title, tool, speed)
    for direction in directions:
        degrees = direction + offset
        cl.remark(f"direction {degrees:g}")
        first = pattern[0]
        cl.rapid(*place(first[0], first[1], RADIUS + CLEAR, degrees))
        cl.add(cycle)
        for across, height in pattern:
            cl.goto(*place(across, height, math.sqrt(RADIUS**2 - across**2), degrees))
        cl.add("CYCLE/OFF")
        last = pattern[-1]
        cl.rapid(*place(last[0], last[1], RADIUS + CLEAR, degrees))
    cl.write(name)


def pad():
    """A flat at the direction 0 and a round recess in it, from outside inwards; arcs lie in the YZ plane."""
    cl = start("MIRROR CELL PAD", 24, 5200)
    for level in range(1, 7):
        x = 131.0 - 0.5 * level
        cl.rapid(*place(-34.0, -31.0, 137.0, 0))
        cl.add("FEDRAT/ 300.0, MMPM")
        cl.goto(*place(-34.0, -31.0, x, 0))
        cl.add("FEDRAT/ 620.0, MMPM")
        for row in range(6):
            z = -31.0 + 4.0 * row
            ends = (34.0, -34.0) if row % 2 == 0 else (-34.0, 34.0)
            cl.goto(*place(ends[1], z, x, 0))
            cl.goto(*place(ends[0], z, x, 0))
        cl.rapid(*place(-34.0, -11.0, 137.0, 0))
    for level in range(1, 9):
        x = 128.0 - 0.6 * level
        for radius in (1.5, 3.5, 5.5):
            here = (x, radius, -21.0, (1.0, 0.0, 0.0))
            if radius == 1.5:
                cl.rapid(137.0, radius, -21.0, (1.0, 0.0, 0.0))
                cl.add("FEDRAT/ 150.0, MMPM")
            cl.goto(*here)
            cl.add("FEDRAT/ 480.0, MMPM")
            cl.circle((x, 0.0, -21.0), (1, 0, 0), radius, here)
        cl.rapid(137.0, 5.5, -21.0, (1.0, 0.0, 0.0))
    cl.write("cell-side-pad")


five = [(a, z) for z in (-30.0, -21.0, -12.0) for a in (-27.0, -18.0, -9.0, 0.0, 9.0, 18.0, 27.0)]
six = [(a, z) for z in (-27.5, -14.5) for a in (-15.0, -7.5, 0.0, 7.5, 15.0)]
drill = "CYCLE/DRILL, DEPTH, 12.0, CLEAR, 1.5, RTRCTO, 3.0, MMPM, 160.0"
deep = "CYCLE/DEEP, DEPTH, 21.0, CLEAR, 1.5, STEP, 6.0, $\n    RTRCTO, 4.0, DWELL, 0.2, MMPM, 140.0"
bores("cell-side-five", "MIRROR CELL SIDE BORES FIVE", 21, 2600, [72 * k for k in range(5)], five, drill)
bores("cell-side-six", "MIRROR CELL SIDE BORES SIX", 22, 2200, [60 * k for k in range(6)], six, deep)
bores("cell-side-between", "MIRROR CELL SIDE BORES BESIDE THE MARKS", 21, 2600, [72 * k for k in range(5)], five[7:14], drill, 0.31)
pad()
