"""The demo museum: *Tidewrack*, an old lightstation on a tidal island, photographed after dark.

Everything here is made up and made by code: scenes are ray-marched from formulas, then photographed by a simulated
camera, so that the clean truth of every demo picture is known.
"""

from dustpan.demo.museum import FINISHED, PICTURES, SCENES, SOURCES, ensure_demo_data, ensure_scene, write_demo_data

__all__ = ["FINISHED", "PICTURES", "SCENES", "SOURCES", "ensure_demo_data", "ensure_scene", "write_demo_data"]
