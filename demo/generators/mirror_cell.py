#!/usr/bin/env python3
"""The mirror cell's upper side on a three-axis mill: pockets with rounded corners, a rim, grooves along arcs in the ZX and YZ
planes, and bolt holes. The part's zero is the middle of the upper face, Z up. All numbers in mm.

usage: mirror_cell.py [FOLDER]"""
import math

from cl_text import ClFile

SAFE = 15.0


def rounded_pocket(cl, cx, cy, half_x, half_y, corner, depth, entry):
    """One pass round a pocket, counter-clockwise, entered by a helix of three turns in its middle that begins at the angle
    `entry`, in rad."""
    r = 6.0
    sx, sy = cx + r * math.cos(entry), cy + r * math.sin(entry)
    cl.rapid(sx, sy, SAFE)
    cl.rapid(sx, sy, 1.0)
    cl.add("FEDRAT/ 180.0, MMPM")
    cl.circle((cx, cy, 1.0), (0, 0, 1), r, (sx, sy, depth), times=3)
    cl.add("FEDRAT/ 650.0, MMPM")
    cl.remark("flat turn at the bottom: a full circle")
    cl.circle((cx, cy, depth), (0, 0, 1), r, (sx, sy, depth))
    x0, x1, y0, y1 = cx - half_x, cx + half_x, cy - half_y, cy + half_y
    cl.goto(x1, cy, depth)
    for (px, py), (qx, qy), (mx, my) in (
            ((x1, y1 - corner), (x1 - corner, y1), (x1 - corner, y1 - corner)),
            ((x0 + corner, y1), (x0, y1 - corner), (x0 + corner, y1 - corner)),
            ((x0, y0 + corner), (x0 + corner, y0), (x0 + corner, y0 + corner)),
            ((x1 - corner, y0), (x1, y0 + corner), (x1 - corner, y0 + corner))):
        cl.goto(px, py, depth)
        cl.circle((mx, my, depth), (0, 0, 1), corner, (qx, qy, depth))
    cl.goto(x1, cy, depth)
    cl.rapid(x1, cy, SAFE)


def pockets():
    cl = ClFile("MIRROR CELL POCKETS")
    cl.add("LOADTL/ 1")
    cl.add("SPINDL/ 7600, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    cl.add("PPRINT SIX POCKETS, THREE DEPTHS EACH")
    for k in range(6):
        angle = math.radians(60 * k)
        cx, cy = 78 * math.cos(angle), 78 * math.sin(angle)
        for level in (1, 2, 3):
            rounded_pocket(cl, cx, cy, 19.0, 14.5, 7.5, -2.4 * level, math.radians(20 * level - 25))
    cl.remark("the rim, climb milled: a full circle clockwise about -Z")
    radius = 128.25
    cl.rapid(radius, 0.0, SAFE)
    cl.rapid(radius, 0.0, 2.0)
    for level in (1, 2, 3, 4):
        cl.add("FEDRAT/ 240.0, MMPM")
        cl.goto(radius, 0.0, -3.0 * level)
        cl.add("FEDRAT/ 900.0, MMPM")
        cl.circle((0, 0, -3.0 * level), (0, 0, -1), radius, (radius, 0.0, -3.0 * level))
    cl.rapid(radius, 0.0, SAFE)
    cl.remark("relief between the pockets: arcs of 48 degrees, there and back, on three radii")
    for k, r in ((k, r) for k in range(6) for r in (108.0, 106.37, 104.81)):
        a, b = math.radians(60 * k + 6), math.radians(60 * k + 54)
        cl.rapid(r * math.cos(a), r * math.sin(a), SAFE)
        cl.rapid(r * math.cos(a), r * math.sin(a), 1.5)
        cl.add("FEDRAT/ 240.0, MMPM")
        cl.goto(r * math.cos(a), r * math.sin(a), -1.2)
        cl.add("FEDRAT/ 800.0, MMPM")
        cl.circle((0, 0, -1.2), (0, 0, 1), r, (r * math.cos(b), r * math.sin(b), -1.2))
        cl.goto(r * math.cos(b), r * math.sin(b), -2.4)
        cl.circle((0, 0, -2.4), (0, 0, -1), r, (r * math.cos(a), r * math.sin(a), -2.4))
        cl.rapid(r * math.cos(a), r * math.sin(a), SAFE)
    cl.write("cell-pockets")


def grooves():
    """Saddles for the whiffletree's cross bars: arcs that dip into the face, in the ZX plane and in the YZ plane."""
    cl = ClFile("MIRROR CELL GROOVES")
    cl.add("LOADTL/ 3")
    cl.add("SPINDL/ 9000, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    radius, depth = 24.0, 4.5
    half = math.sqrt(radius ** 2 - (radius - depth) ** 2)
    zc = radius - depth                                 # the arc's centre above the face, its lowest point at -depth
    for row in range(9):
        y = -16.0 + 4.0 * row
        cl.rapid(-half, y, SAFE)
        cl.rapid(-half, y, 1.0)
        cl.add("FEDRAT/ 300.0, MMPM")
        cl.goto(-half, y, 0.0)
        cl.add("FEDRAT/ 720.0, MMPM")
        # From -X to +X through the lowest point: about -Y (from -X by -Z to +X).
        cl.circle((0, y, zc), (0, -1, 0), radius, (half, y, 0.0))
        cl.rapid(half, y, SAFE)
    for row in range(5):
        x = 40.0 + 4.0 * row
        cl.rapid(x, half, SAFE)
        cl.rapid(x, half, 1.0)
        cl.add("FEDRAT/ 300.0, MMPM")
        cl.goto(x, half, 0.0)
        cl.add("FEDRAT/ 720.0, MMPM")
        # From +Y to -Y through the lowest point: about -X; and back half a turn about +X.
        cl.circle((x, 0, zc), (-1, 0, 0), radius, (x, -half, 0.0))
        cl.circle((x, 0, zc), (1, 0, 0), radius, (x, half, 0.0))
        cl.rapid(x, half, SAFE)
    cl.remark("ring seats: full circles in the ZX and the YZ plane, cut in the air above the face for the gauge ring")
    cl.rapid(6.0, 30.0, SAFE)
    cl.rapid(6.0, 30.0, 8.0)
    cl.add("FEDRAT/ 720.0, MMPM")
    cl.circle((0, 30.0, 8.0), (0, 1, 0), 6.0, (6.0, 30.0, 8.0))
    cl.rapid(6.0, 30.0, SAFE)
    cl.rapid(-40.0, 6.0, SAFE)
    cl.rapid(-40.0, 6.0, 8.0)
    cl.circle((-40.0, 0, 8.0), (1, 0, 0), 6.0, (-40.0, 6.0, 8.0))
    cl.rapid(-40.0, 6.0, SAFE)
    cl.write("cell-grooves")


def holes():
    cl = ClFile("MIRROR CELL HOLES")
    cl.add("LOADTL/ 2")
    cl.add("SPINDL/ 2400, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    cl.rapid(118.0, 0.0, SAFE)
    cl.remark("through holes on the outer circle, drilled")
    cl.add("CYCLE/DRILL, DEPTH, 9.5, CLEAR, 2.0, MMPM, 220.0")
    for k in range(18):
        angle = math.radians(20 * k)
        cl.goto(118.0 * math.cos(angle), 118.0 * math.sin(angle), 0.0)
    cl.add("CYCLE/OFF")
    cl.rapid(0.0, 52.0, SAFE)
    cl.remark("deep holes on the inner circle, pecked, left at the safe height")
    cl.add("CYCLE/DEEP, DEPTH, 38.0, CLEAR, 2.0, STEP, 7.0, $\n    RTRCTO, 15.0, DWELL, 0.25, MMPM, 180.0")
    for k in range(9):
        angle = math.radians(40 * k + 90)
        cl.goto(52.0 * math.cos(angle), 52.0 * math.sin(angle), 0.0)
    cl.add("CYCLE/OFF")
    cl.rapid(0.0, 0.0, 40.0)
    cl.write("cell-holes")


def one_pocket():
    """One of the six, to be turned about the middle."""
    cl = ClFile("MIRROR CELL POCKET")
    cl.add("LOADTL/ 1")
    cl.add("SPINDL/ 7600, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    for level in (1, 2, 3):
        rounded_pocket(cl, 78.0, 0.0, 19.0, 14.5, 7.5, -2.4 * level, math.radians(22 * level - 25))
    cl.write("cell-pocket")


def slot():
    """One vent slot beside the middle, ramped down both ways, its ends a little wider than the tool; to be moved."""
    cl = ClFile("MIRROR CELL SLOT")
    cl.add("LOADTL/ 1")
    cl.add("SPINDL/ 7600, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    x, half = -32.0, 14.0
    cl.rapid(x, -half, SAFE)
    cl.rapid(x, -half, 1.0)
    cl.add("FEDRAT/ 240.0, MMPM")
    cl.goto(x, -half, 0.0)
    for level in range(1, 7):
        cl.goto(x, half if level % 2 else -half, -1.1 * level)
    cl.add("FEDRAT/ 520.0, MMPM")
    for y in (half, -half):
        cl.goto(x, y, -6.6)
        cl.goto(x + 0.35, y, -6.6)
        cl.circle((x, y, -6.6), (0, 0, 1), 0.35, (x + 0.35, y, -6.6))
        cl.goto(x, y, -6.6)
    cl.rapid(x, -half, SAFE)
    cl.write("cell-slot")


def hole_pair():
    """A through hole and a deep one, to be turned about the middle."""
    cl = ClFile("MIRROR CELL HOLE PAIR")
    cl.add("LOADTL/ 2")
    cl.add("SPINDL/ 2400, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    cl.rapid(118.0, 0.0, SAFE)
    cl.add("CYCLE/DRILL, DEPTH, 9.5, CLEAR, 2.0, MMPM, 220.0")
    cl.goto(118.0, 0.0, 0.0)
    cl.add("CYCLE/OFF")
    cl.rapid(52.0, 9.0, SAFE)
    cl.add("CYCLE/DEEP, DEPTH, 38.0, CLEAR, 2.0, STEP, 7.0, $\n    RTRCTO, 15.0, DWELL, 0.25, MMPM, 180.0")
    cl.goto(52.0, 9.0, 0.0)
    cl.add("CYCLE/OFF")
    cl.rapid(52.0, 9.0, 40.0)
    cl.write("cell-hole-pair")


if __name__ == "__main__":
    pockets()
    grooves()
    holes()
    one_pocket()
    slot()
    hole_pair()
