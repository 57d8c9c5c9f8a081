#!/usr/bin/env python3
"""The hub of a telescope's focuser on a mill with a nutating head: its face, six oblique ports, a seat that is cut with the tool leaning
outwards all the way round, and four side flats. The part's zero is the middle of its foot, Z up; it is 80 high. All numbers in mm.

usage: focuser_hub.py [FOLDER]"""
import math

from cl_text import ClFile

UP = (0.0, 0.0, 1.0)


def start(title, tool, speed):
    cl = ClFile(title)
    cl.add("MULTAX/ON")
    cl.add(f"LOADTL/ {tool}")
    cl.add(f"SPINDL/ {speed}, RPM, CLW")
    cl.add("COOLNT/FLOOD")
    return cl


def plane(azimuth, polar, middle):
    """Places on a plane that looks along (azimuth, polar): right, up the slope, outwards from `middle`."""
    a, p = math.radians(azimuth), math.radians(polar)
    out = (math.sin(p) * math.cos(a), math.sin(p) * math.sin(a), math.cos(p))
    right = (-math.sin(a), math.cos(a), 0.0)
    up = (-math.cos(p) * math.cos(a), -math.cos(p) * math.sin(a), math.sin(p))

    def place(u, v, w):
        return (*(middle[k] + u * right[k] + v * up[k] + w * out[k] for k in range(3)), out)

    return place, out


def face():
    cl = start("FOCUSER HUB FACE", 41, 4200)
    cl.rapid(-95.0, -60.0, 130.0, UP)
    for level in (80.6, 80.0):
        cl.rapid(-95.0, -60.0, 84.0, UP)
        cl.add("FEDRAT/ 500.0, MMPM")
        cl.goto(-95.0, -60.0, level, UP)
        cl.add("FEDRAT/ 1300.0, MMPM")
        for row in range(9):
            y = -60.0 + 15.0 * row
            ends = (-95.0, 95.0) if row % 2 == 0 else (95.0, -95.0)
            cl.goto(ends[0], y, level, UP)
            cl.goto(ends[1], y, level, UP)
        cl.rapid(95.0, 60.0, 84.0, UP)
    cl.remark("bore, down a helix")
    cl.rapid(16.0, 0.0, 84.0, UP)
    cl.rapid(16.0, 0.0, 81.0, UP)
    cl.add("FEDRAT/ 640.0, MMPM")
    z = 81.0
    while z > 56.0:
        nearer = max(z - 2.5, 56.0)
        cl.circle((0.0, 0.0, z), (0, 0, 1), 16.0, (16.0, 0.0, nearer, UP))
        z = nearer
    cl.circle((0.0, 0.0, z), (0, 0, 1), 16.0, (16.0, 0.0, z, UP))
    cl.goto(0.0, 0.0, z, UP)
    cl.rapid(0.0, 0.0, 130.0, UP)
    cl.write("hub-face")


def ports(name, title, count):
    cl = start(title, 42, 6800)
    for k in range(count):
        azimuth, a = 60.0 * k + 15.0, math.radians(60.0 * k + 15.0)
        place, out = plane(azimuth, 55.0, (46.0 * math.cos(a), 46.0 * math.sin(a), 58.0))
        cl.remark(f"port {k + 1}, counterbore")
        cl.rapid(*place(5.0, 0.0, 40.0))
        cl.rapid(*place(5.0, 0.0, 3.0))
        cl.add("FEDRAT/ 420.0, MMPM")
        w = 3.0
        while w > -9.0:
            nearer = max(w - 1.5, -9.0)
            cl.circle(place(0.0, 0.0, w)[:3], out, 5.0, place(-5.0, 0.0, (w + nearer) / 2))
            cl.circle(place(0.0, 0.0, (w + nearer) / 2)[:3], out, 5.0, place(5.0, 0.0, nearer))
            w = nearer
        cl.circle(place(0.0, 0.0, w)[:3], out, 5.0, place(-5.0, 0.0, w))
        cl.circle(place(0.0, 0.0, w)[:3], out, 5.0, place(5.0, 0.0, w))
        cl.goto(*place(0.0, 0.0, w))
        cl.rapid(*place(0.0, 0.0, 40.0))
        cl.remark(f"port {k + 1}, screw holes")
        cl.add("CYCLE/DRILL, DEPTH, 11.0, CLEAR, 2.0, MMPM, 260.0")
        for hole in range(4):
            h = math.radians(45.0 + 90.0 * hole)
            cl.goto(*place(13.0 * math.cos(h), 13.0 * math.sin(h), 0.0))
        cl.add("CYCLE/OFF")
        cl.rapid(*place(13.0 * math.cos(h), 13.0 * math.sin(h), 40.0))
    cl.write(name)


def seat():
    cl = start("FOCUSER HUB SEAT", 43, 8200)

    def place(degrees, radius, height, outwards=0.0):
        a = math.radians(degrees)
        lean = math.radians(24.0 + 7.0 * math.sin(2 * a))
        axis = (math.sin(lean) * math.cos(a), math.sin(lean) * math.sin(a), math.cos(lean))
        return (radius * math.cos(a) + outwards * axis[0], radius * math.sin(a) + outwards * axis[1], height + outwards * axis[2], axis)

    cl.rapid(*place(0.0, 31.0, 74.0, 70.0))
    cl.rapid(*place(0.0, 31.0, 74.0, 9.0))
    cl.add("FEDRAT/ 300.0, MMPM")
    cl.goto(*place(0.0, 31.0, 74.0))
    cl.add("FEDRAT/ 900.0, MMPM")
    for turn in range(3):
        for step in range(1, 91):
            cl.goto(*place(4.0 * step, 31.0 + 2.0 * (turn + step / 90), 74.0 - 1.1 * (turn + step / 90)))
    cl.rapid(*place(0.0, 37.0, 70.7, 70.0))
    cl.write("hub-seat")


def flats():
    cl = start("FOCUSER HUB SIDE FLATS", 41, 4200)
    for k in range(4):
        azimuth, a = 90.0 * k, math.radians(90.0 * k)
        place, out = plane(azimuth, 90.0, (62.0 * math.cos(a), 62.0 * math.sin(a), 40.0))
        cl.remark(f"flat {k + 1}: a slot with round ends, in three cuts")
        cl.rapid(*place(-18.0, 0.0, 50.0))
        for w in (-1.0, -2.0, -3.0):
            cl.rapid(*place(-18.0, 0.0, 2.0))
            cl.add("FEDRAT/ 350.0, MMPM")
            cl.goto(*place(-18.0, 0.0, w))
            cl.add("FEDRAT/ 1100.0, MMPM")
            cl.goto(*place(-18.0, -8.0, w))
            cl.goto(*place(18.0, -8.0, w))
            cl.circle(place(18.0, 0.0, w)[:3], out, 8.0, place(18.0, 8.0, w))
            cl.goto(*place(-18.0, 8.0, w))
            cl.circle(place(-18.0, 0.0, w)[:3], out, 8.0, place(-18.0, -8.0, w))
            cl.goto(*place(-18.0, 0.0, w))
            cl.rapid(*place(-18.0, 0.0, 2.0))
        cl.rapid(*place(-18.0, 0.0, 50.0))
    cl.write("hub-flats")


def comma():
    """A pocket that is not its own mirror image, in the first side."""
    cl = start("FOCUSER HUB COMMA POCKET", 42, 6800)
    place, out = plane(25.0, 90.0, (62.0 * math.cos(math.radians(25)), 62.0 * math.sin(math.radians(25)), 22.0))
    cl.rapid(*place(-6.0, 0.0, 45.0))
    for w in (-1.5, -3.0, -4.5):
        cl.rapid(*place(-6.0, 0.0, 2.0))
        cl.add("FEDRAT/ 250.0, MMPM")
        cl.goto(*place(-6.0, 0.0, w))
        cl.add("FEDRAT/ 700.0, MMPM")
        cl.circle(place(0.0, 0.0, w)[:3], out, 6.0, place(6.0, 0.0, w))
        cl.circle(place(0.0, 0.0, w)[:3], out, 6.0, place(0.0, 6.0, w))
        cl.circle(place(0.0, 3.0, w)[:3], tuple(-v for v in out), 3.0, place(0.0, 0.0, w))
        cl.circle(place(-3.0, 0.0, w)[:3], out, 3.0, place(-6.0, 0.0, w))
        cl.rapid(*place(-6.0, 0.0, 2.0))
    cl.rapid(*place(-6.0, 0.0, 45.0))
    cl.write("hub-comma")


face()
ports("hub-ports", "FOCUSER HUB OBLIQUE PORTS", 6)
ports("hub-port", "FOCUSER HUB OBLIQUE PORT", 1)
comma()
seat()
flats()
