"""A sheet that follows another is the sheet that is derived cold, whatever happened between."""

import gc
import random
import weakref

from escuadra.core.job.events import Undone
from escuadra.core.job.sheet import Sheet, derive
from escuadra.core.job.visit import Visit, fold_visit
from escuadra.demo.valdehierro import open_demo
