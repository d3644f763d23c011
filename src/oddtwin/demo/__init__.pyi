from .build import build_demo as build_demo
from .fresh import fresh_demo as fresh_demo
