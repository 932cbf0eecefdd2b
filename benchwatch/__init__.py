"""The watch over the bench supply: processes of their own that see to it that the output is off when anything dies.

`python -m benchwatch --folder FOLDER` starts the *guardian*. The guardian switches off every supply it knows of that
may be on, then starts the *keeper*, which holds the only connection to the supply, and stands by with a pipe to it.
Whichever of the two dies or freezes, the other one says OFF; where both die, the service starts them anew, and their
first act is OFF. The web application talks to the keeper over a socket in the folder (`benchwatch.client`).

This package imports the core's rules for a cell on a supply and the standard library; neither the web framework nor a
database, so that a full disk or a locked database never stands between a limit and the output.
"""
