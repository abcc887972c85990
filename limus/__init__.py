"""Limus: the computing core for weathering 3D surfaces.

Read the folders in the order of the data: formats -> surface -> readings -> patterns -> masks -> materials -> strata
-> effects.
"""

__version__ = "0.1.0"
