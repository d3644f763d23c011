from .faces import Face as Face
from .kinds import RENDERED as RENDERED
from .kinds import render as render
from .light import Picture as Picture
from .light import photographed as photographed
from .light import whole as whole
from .walls import Wall as Wall
from .walls import render_wall as render_wall
