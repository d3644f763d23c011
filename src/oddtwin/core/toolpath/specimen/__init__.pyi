from .recipe import Recipe as Recipe
from .recipe import Solid as Solid
from .slicing import Specimen as Specimen
from .slicing import slice_solid as slice_solid
