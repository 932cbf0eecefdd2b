"""A case: a device, what was told, and what happened to it, in order; its file and the quick line that adds to it.

Rules: entries are plain frozen values in the vocabulary's ids; the schema is built from the knowledge; what has no
meaning is reported, never silently lost. Nothing is judged here but what is physically possible. Exports: `entries`
(Device, CheckEvent, TryEvent, RepairEvent, HazardEvent, Case), `file` (parse, dump, schema), `quickline` (parse_line,
complete).
"""
