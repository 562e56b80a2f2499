"""Draw one picture small, to look at: python demo/trial.py NAME SCALE FILE."""

import importlib
import sys

import numpy as np
from PIL import Image

name, scale, file = sys.argv[1], float(sys.argv[2]), sys.argv[3]
Image.fromarray(np.asarray(importlib.import_module(f"drawing.{name}").draw(scale))).save(file)
