"""Thin views: bind a form, call one action or one core function, render."""
