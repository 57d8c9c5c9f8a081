"""Writes CL data text; shared by the generators of the demo's toolpaths."""
import math
import pathlib
import sys

TOOLPATHS = pathlib.Path(__file__).resolve().parent.parent / "observatory" / "toolpaths"


class ClFile:
    """Collects statements and writes them as one file."""

    def __init__(self, title):
        self.lines = [f"PARTNO {title}", "UNITS/MM"]

    def add(self, text):
        self.lines.append(text)

    def remark(self, text):
        self.lines.append(f"$$ {text}")

    def rapid(self, *pose):
        self.add("RAPID")
        self.goto(*pose)

    def goto(self, x, y, z, axis=None):
        text = f"GOTO/ {x:.4f}, {y:.4f}, {z:.4f}"
        if axis is not None:
            text += ", $\n" if len(text) > 60 else ", "
            text += ", ".join(f"{value:.6f}" for value in axis)
        self.add(text)

    def circle(self, centre, axis, radius, end, times=None):
        numbers = ", ".join(f"{v:.4f}" for v in centre) + ", " + ", ".join(f"{v:.6f}" for v in axis)
        more = f", TIMES, {times}" if times else ""
        self.add(f"CIRCLE/ {numbers}, {radius:.4f}{more}")
        self.goto(*end)

    def write(self, name):
        self.add("FINI")
        folder = pathlib.Path(sys.argv[1]) if len(sys.argv) > 1 else TOOLPATHS
        (folder / f"{name}.cl").write_text("\n".join(self.lines) + "\n")


def unit(vector):
    length = math.sqrt(sum(v * v for v in vector))
    return tuple(v / length for v in vector)
