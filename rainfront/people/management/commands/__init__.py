"""`manage.py make_owner`."""
