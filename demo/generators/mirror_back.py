#!/usr/bin/env python3
"""The back of a mirror on a five-axis mill: its doubly curved face swept by a ball mill that leans by 14 degrees, and a bevel
round the rim with the tool tilted outwards. The part's zero is the middle of the back's crown plane, Z up. All numbers in mm.

usage: mirror_back.py [FOLDER]"""
import math

from cl_text import ClFile, unit

HALF = 90.0


def height(x, y):
    """The face: a paraboloid flatter along Y, with a slow ripple for the support pads."""
    return 24.0 - x * x / 960.0 - y * y / 1250.0 + 0.35 * math.cos(x / 29.0) * math.cos(y / 31.0)


def normal(x, y):
    gx = -x / 480.0 - 0.35 / 29.0 * math.sin(x / 29.0) * math.cos(y / 31.0)
    gy = -y / 625.0 - 0.35 / 31.0 * math.cos(x / 29.0) * math.sin(y / 31.0)
    return unit((-gx, -gy, 1.0))


def leant(vector, angle):
    """Turned about +Y by an angle: towards +X."""
    c, s = math.cos(angle), math.sin(angle)
    return (vector[0] * c + vector[2] * s, vector[1], -vector[0] * s + vector[2] * c)


def face():
    cl = ClFile("MIRROR BACK FACE")
    cl.add("MULTAX/ON")
    cl.add("LOADTL/ 5")
    cl.add("SPINDL/ 8200, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    rows, columns = 41, 80
    lean = math.radians(14.0)
    for row in range(rows):
        y = -HALF + 2 * HALF * row / (rows - 1)
        for column in range(columns):
            t = column / (columns - 1)
            x = HALF * (2 * t - 1) * (1 if row % 2 == 0 else -1)
            axis = leant(normal(x, y), lean)
            point = (x, y, height(x, y))
            if row == 0 and column == 0:
                above = tuple(p + 20.0 * a for p, a in zip(point, axis))
                cl.rapid(*above, axis)
                cl.add("FEDRAT/ 400.0, MMPM")
                cl.goto(*point, axis)
                cl.add("FEDRAT/ 1800.0, MMPM")
            else:
                cl.goto(*point, axis)
    cl.rapid(*(p + 20.0 * a for p, a in zip(point, axis)), axis)
    cl.write("mirror-back-face")


def ring(cl, tilt, radius, z, clear, plunge, feed):
    """A whole turn round a circle with the axis tilted outwards, entered and left along the tool."""
    steps = 72
    for k in range(steps + 1):
        angle = 2 * math.pi * k / steps
        axis = (math.sin(tilt) * math.cos(angle), math.sin(tilt) * math.sin(angle), math.cos(tilt))
        point = (radius * math.cos(angle), radius * math.sin(angle), z)
        if k == 0:
            cl.rapid(*(p + clear * a for p, a in zip(point, axis)), axis)
            cl.add(f"FEDRAT/ {plunge:.1f}, MMPM")
            cl.goto(*point, axis)
            cl.add(f"FEDRAT/ {feed:.1f}, MMPM")
        else:
            cl.goto(*point, axis)
    cl.rapid(*(p + clear * a for p, a in zip(point, axis)), axis)


def rim():
    """Round a circle with the axis tilted 32 degrees outwards; the axis makes a whole turn."""
    cl = ClFile("MIRROR BACK RIM")
    cl.add("MULTAX/ON")
    cl.add("LOADTL/ 6")
    cl.add("SPINDL/ 9500, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    for z in (6.0, 5.2):
        ring(cl, math.radians(32.0), 84.0, z, 25.0, 300.0, 1200.0)
    cl.write("mirror-back-rim")


def dimple():
    """A small ring round the middle with the axis leaning outwards: the turntable makes a whole turn within 19 mm."""
    cl = ClFile("MIRROR BACK DIMPLE")
    cl.add("MULTAX/ON")
    cl.add("LOADTL/ 5")
    cl.add("SPINDL/ 8200, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    ring(cl, math.radians(12.0), 3.0, 23.9, 20.0, 400.0, 1800.0)
    cl.write("mirror-back-dimple")


def undercut():
    """Tilts over the rim until the tool comes from below: more than the trunnion can do."""
    cl = ClFile("RIM UNDERCUT")
    cl.add("MULTAX/ON")
    cl.add("LOADTL/ 6")
    cl.add("SPINDL/ 9500, RPM, CLW")
    for k in range(31):
        tilt = math.radians(35.0 + 3.0 * k)
        axis = (math.sin(tilt), 0.0, math.cos(tilt))
        point = (70.0, 0.0, 10.0)
        if k == 0:
            cl.rapid(*(p + 30.0 * a for p, a in zip(point, axis)), axis)
            cl.add("FEDRAT/ 600.0, MMPM")
        cl.goto(point[0] + 0.2 * k, point[1], point[2], axis)
    cl.write("rim-undercut")


def tilted_groove():
    """A groove whose tool axis leans gradually: only the first moves can be cut without rotary axes."""
    cl = ClFile("TILTED GROOVE")
    cl.add("MULTAX/ON")
    cl.add("LOADTL/ 3")
    cl.add("SPINDL/ 9000, RPM, CLW")
    cl.rapid(-40.0, 0.0, 15.0, (0.0, 0.0, 1.0))
    cl.add("FEDRAT/ 500.0, MMPM")
    for k in range(41):
        lean = math.radians(max(0, k - 15) * 0.8)
        cl.goto(-40.0 + 2.0 * k, 0.0, -1.0, (math.sin(lean), 0.0, math.cos(lean)))
    cl.rapid(40.0, 0.0, 15.0, (0.0, 0.0, 1.0))
    cl.write("tilted-groove")


if __name__ == "__main__":
    face()
    rim()
    dimple()
    undercut()
    tilted_groove()
