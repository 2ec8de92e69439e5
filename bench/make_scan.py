#!/usr/bin/env python3
"""Writes the made-up scan that bench/README.md speaks of: an OBJ of 871,200 triangles, positions only.

A closed ring with relief at several scales, measuring noise, and forty spikes a few triangles wide. The same file each
time: python3 bench/make_scan.py FILE.obj
"""

import math
import random
import sys

SIDE = 660  # points round each way; two triangles a point


def main(path):
    chance = random.Random(7)
    spikes = {(chance.randrange(SIDE), chance.randrange(SIDE)) for _ in range(40)}
    with open(path, "w", encoding="ascii") as out:
        for i in range(SIDE):
            u = 2 * math.pi * i / SIDE
            for j in range(SIDE):
                v = 2 * math.pi * j / SIDE
                radius = 30 + 3 * math.sin(5 * u) * math.cos(4 * v) + 0.6 * math.sin(31 * u + 7 * v)
                radius += 0.08 * math.sin(113 * u) * math.sin(97 * v) + chance.gauss(0, 0.01)
                radius += 6 if (i, j) in spikes else 0
                across = 80 + radius * math.cos(v)
                out.write(f"v {across * math.cos(u):.5f} {radius * math.sin(v):.5f} {across * math.sin(u):.5f}\n")
        for i in range(SIDE):
            for j in range(SIDE):
                a = i * SIDE + j + 1
                b = (i + 1) % SIDE * SIDE + j + 1
                c = i * SIDE + (j + 1) % SIDE + 1
                d = (i + 1) % SIDE * SIDE + (j + 1) % SIDE + 1
                out.write(f"f {a} {c} {b}\nf {c} {d} {b}\n")


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit(__doc__)
    main(sys.argv[1])
