"""The demo lab book: an invented workshop, built by code from a fixed seed."""

from oddtwin.demo.build import build_demo, fresh_demo

__all__ = ["build_demo", "fresh_demo"]
