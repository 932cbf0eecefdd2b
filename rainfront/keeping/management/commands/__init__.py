"""`manage.py backup`, `restore`, `nightly`, `tidy`, `doctor`."""
