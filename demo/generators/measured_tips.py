#!/usr/bin/env python3
"""What a sphere on the faceplate of the second Brae 4R gives when it is touched from all sides: readings of the machine and the place
of the test bar's tip on the work. The rotary unit stands a little off and its mark is late; the dial repeats to a few thousandths.

usage: measured_tips.py [FOLDER]"""
import math
import pathlib
import random
import sys

FOLDER = pathlib.Path(sys.argv[1]) if len(sys.argv) > 1 else pathlib.Path(__file__).resolve().parent.parent / "observatory" / "measured"
AXIS_Y, AXIS_Z, MARK = -20.462, -259.934, 0.024  # mm, mm, deg
MOUNT = (40.0, -20.5, -260.0)
BAR = 80.0


def tip_on_work(x, y, z, a):
    """The tip's place on the work: turned back about the axis by what the work has turned."""
    turn = math.radians(a - MARK)
    u, v = y - AXIS_Y, z - BAR - AXIS_Z
    return (x - MOUNT[0], u * math.cos(turn) + v * math.sin(turn) + AXIS_Y - MOUNT[1],
            -u * math.sin(turn) + v * math.cos(turn) + AXIS_Z - MOUNT[2])


def main():
    noise = random.Random(4)
    lines = ["# second Brae 4R, 80 mm test bar, sphere on the faceplate", "X,Y,Z,A,x,y,z"]
    for x in (60.0, 310.0):
        for a in range(0, 360, 30):
            y, z = -20.5 + noise.uniform(-40, 40), -60.0 + noise.uniform(-25, 25)
            y, z = round(y, 3), round(z, 3)
            tip = [value + noise.gauss(0, 0.0012) for value in tip_on_work(x, y, z, a)]
            lines.append(f"{x:.3f},{y:.3f},{z:.3f},{a:.3f}," + ",".join(f"{value:.4f}" for value in tip))
    FOLDER.mkdir(parents=True, exist_ok=True)
    (FOLDER / "brae-4r-second.csv").write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
