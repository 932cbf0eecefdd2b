"""Speaking with instruments by their profiles: over TCP and serial lines, each answer with one deadline as a whole.

`wire` moves bytes, `lines` makes lines of them within limits, `instrument` asks and hears by a profile
(`chargepath.instrument`), `running` keeps one instrument read on a thread of its own. Neither the web framework nor a
database is needed here, so that an instrument can be tried from a shell.
"""
