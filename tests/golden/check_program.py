"""Checks a program against the toolpaths of its job, from the files alone: check_program.py PROJECT JOB PROGRAM.

It shares nothing with the program under test: its own reading of the words, its own chain of joints, plain rotations. Every record at feed has
to be reached by the end of a block, in order, within 0.002 mm and 0.000005 rad; every hole has to be drilled to its depth. Words that it does
not know are an error. Prints how many records were reached, or the first one that was not."""
import json
import math
import re
import sys

TIP, AXIS = 0.002, 5e-6


def load(*parts):
    with open("/".join(parts), encoding="utf-8") as f:
        return json.load(f)


def turned(v, k, angle):
    c, s = math.cos(angle), math.sin(angle)
    dot = sum(a * b for a, b in zip(v, k))
    cross = (k[1] * v[2] - k[2] * v[1], k[2] * v[0] - k[0] * v[2], k[0] * v[1] - k[1] * v[0])
    return [v[i] * c + cross[i] * s + k[i] * dot * (1 - c) for i in range(3)]


class Machine:
    def __init__(self, machine, setup):
        self.joints = {joint["id"]: joint for joint in machine["joints"]}
        self.work = next(mount for mount in machine["mounts"] if mount["kind"] == "work")
        self.tool = next(mount for mount in machine["mounts"] if mount["kind"] == "tool")
        self.part = setup["part"]["point"]

    def carried(self, point, joint, readings, back, direction=False):
        """A point, or a direction, as the joints up to the base carry it; `back`: from the base to what they carry."""
        chain = []
        while joint != "base":
            chain.append(self.joints[joint])
            joint = chain[-1]["parent"]
        for one in reversed(chain) if back else chain:
            amount = readings[one["id"]] * (-1 if one.get("reading") == "tool-relative" else 1) * (-1 if back else 1)
            if one["kind"] == "linear":
                point = point if direction else [p + d * amount for p, d in zip(point, one["direction"])]
            else:
                at = [0, 0, 0] if direction else one.get("point", [0, 0, 0])
                moved = turned([p - a for p, a in zip(point, at)], one["direction"], math.radians(amount))
                point = [m + a for m, a in zip(moved, at)]
        return point

    def pose(self, readings, length):
        """Tip and axis in the part's frame, whose axes are those of the work mount."""
        gauge = self.tool["point"]
        tip = self.carried([gauge[0], gauge[1], gauge[2] - length], self.tool["parent"], readings, False)
        axis = self.carried([0, 0, 1], self.tool["parent"], readings, False, True)
        tip = self.carried(tip, self.work["parent"], readings, True)
        axis = self.carried(axis, self.work["parent"], readings, True, True)
        return [t - w - p for t, w, p in zip(tip, self.work["point"], self.part)], axis


def wanted(project, job):
    """What a job's toolpaths ask for: ("cut", tip, axis), ("hole", bottom, axis)."""
    out = []
    for operation in job["operations"]:
        rapid, depth, axis = False, None, [0, 0, 1]
        with open(f"{project}/{operation['toolpath']}", encoding="utf-8") as f:
            statements = re.sub(r"\$[ \t]*\n", "", f.read()).splitlines()
        for line in statements:
            word, _, rest = line.strip().partition("/")
            fields = [field.strip() for field in rest.split(",")]
            if word == "RAPID":
                rapid = True
            elif word == "CYCLE":
                depth = None if fields[0] == "OFF" else float(fields[fields.index("DEPTH") + 1])
            elif word == "GOTO":
                numbers = [float(field) for field in fields]
                axis = numbers[3:6] or [0, 0, 1]
                length = math.sqrt(sum(a * a for a in axis))
                axis = [a / length for a in axis]
                if depth is not None:
                    out.append(("hole", [n - a * depth for n, a in zip(numbers, axis)], axis))
                elif not rapid:
                    out.append(("cut", numbers[:3], axis))
                rapid = False
            elif word and not word.startswith(("PARTNO", "UNITS", "MULTAX", "LOADTL", "SPINDL", "COOLNT", "FEDRAT", "PPRINT", "FINI", "CIRCLE", "$$")):
                sys.exit(f"the toolpath's word {word} is not known here")
    return out


def reached(machine, controller, setup, register, program):
    """Where the blocks of a program end: tip, axis, whether at feed; a hole at its bottom."""
    does = {word: entry["does"] for word, entry in controller["words"].items()}
    letters, offsets = controller["axes"], setup["offsets"][register]
    tools = {tool["length_register"]: tool["length"] for tool in setup["tools"]}
    readings = {joint: 0.0 for joint in machine.joints}
    motion, length, length_on, cycle, initial = "rapid", 0.0, False, None, False
    for number, line in enumerate(program, 1):
        if not line.strip() or line[0] in "%(O":
            continue
        words = re.findall(r"([A-Z])(-?[0-9.]+)", re.sub(r"\([^)]*\)", "", line))
        axes, block, machine_coordinates = {}, {}, False
        for letter, text in words:
            name = letter + (text.lstrip("0") or "0") if letter in "GM" else None
            if name is not None:
                if name not in does:
                    sys.exit(f"line {number}: the word {name} is not known")
                action = does[name]
                if action in ("rapid", "linear", "arc-clockwise", "arc-counter-clockwise"):
                    motion, cycle = action, None
                elif action == "cycle":
                    cycle = {}
                elif action == "cycle-off":
                    cycle = None
                elif action == "machine-coordinates":
                    machine_coordinates = True
                elif action in ("length-on", "length-off"):
                    length_on = action == "length-on"
                elif action in ("return-initial", "return-clearance"):
                    initial = action == "return-initial"
                elif action == "tool-change":
                    for joint, at in controller["motion"].get("change_position", {}).items():
                        readings[joint] = at
                    length_on, cycle = False, None
                elif action in ("incremental", "inches", "coordinate-shift", "coordinate-rotation", "subprogram-call"):
                    sys.exit(f"line {number}: {action} is not followed here")
            elif letter in letters:
                axes[letters[letter]] = float(text)
            else:
                block[letter] = float(text)
        if "H" in block:
            length = tools[int(block["H"])]
        def target(joint, word):
            if machine_coordinates:
                return word
            offset = offsets.get(joint, 0)
            offset = offset["angle"] if isinstance(offset, dict) else offset
            return word + offset + (length if length_on and joint == controller["motion"]["length_joint"] else 0)
        deep = controller["motion"]["length_joint"]
        if cycle is not None and not machine_coordinates:
            cycle.setdefault("height", readings[deep])
            if deep in axes:
                cycle["bottom"] = target(deep, axes[deep])
            if "R" in block:
                cycle["clear"] = target(deep, block["R"])
            if axes:
                for joint, word in axes.items():
                    readings[joint] = target(joint, word) if joint != deep else readings[joint]
                yield number, "hole", machine.pose({**readings, deep: cycle["bottom"]}, length)
                readings[deep] = cycle["height"] if initial else cycle["clear"]
            continue
        for joint, word in axes.items():
            readings[joint] = target(joint, word)
        whole_circle = motion.startswith("arc") and any(letter in block for letter in "IJK")
        if axes or whole_circle:
            yield number, "cut" if motion != "rapid" and not machine_coordinates else "way", machine.pose(readings, length)


def main(project, name, path):
    job = load(project, "jobs", name + ".json")
    post, setup = load(project, job["post"]), load(project, job["setup"])
    controller = load(project, post["controller"])
    machine = Machine(load(project, post["machine"]), setup)
    with open(path, encoding="utf-8") as f:
        ends = list(reached(machine, controller, setup, job["work_offset"], f.read().splitlines()))
    at, worst = 0, 0.0
    records = wanted(project, job)
    for index, (kind, tip, axis) in enumerate(records):
        begin = at
        while at < len(ends):
            line, what, (has, along) = ends[at]
            at += 1
            off = math.dist(tip, has)
            if what in (kind, "cut") and off <= TIP and math.dist(axis, along) <= AXIS:
                worst = max(worst, off)
                break
        else:
            nearest = min(ends[begin:] or ends, key=lambda end: math.dist(tip, end[2][0]))
            sys.exit(f"record {index + 1} ({kind} at {tip}) is not reached after line {ends[begin - 1][0]}; nearest at line {nearest[0]}: "
                     f"{math.dist(tip, nearest[2][0]):.4f} mm off")
    print(f"{len(records)} records reached, at most {worst:.5f} mm off")


main(*sys.argv[1:])
