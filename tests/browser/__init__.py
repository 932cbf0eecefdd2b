"""The real interface, driven in Debian's Chromium."""
