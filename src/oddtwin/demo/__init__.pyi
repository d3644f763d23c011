from .build import build_demo as build_demo
from .fresh import demo_is_built as demo_is_built
from .fresh import fresh_demo as fresh_demo
