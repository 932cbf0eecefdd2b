"""Drawings as pure geometry, rendered by SVG templates."""
