"""The logbook: everything that is in any job, found again; jobs like this one."""
