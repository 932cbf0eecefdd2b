#!/usr/bin/env bash
# Show how far an installation is: counted.sh PATTERN TOTAL WHAT reads its output and counts the lines that match PATTERN.
# On a terminal the count stands in one line that is written over; elsewhere every tenth is a line of its own. Errors are
# passed on as they are.
set -uo pipefail
awk -v pattern="$1" -v total="$2" -v what="$3" -v live="$([ -t 2 ] && echo 1 || echo 0)" '
  $0 ~ pattern { n++
    if (live) printf("\r  %d%s %s ", n, total ? " of " total : "", what)
    else if (n % 10 == 0) printf("  %d%s %s\n", n, total ? " of " total : "", what)
    fflush() }
  /^ERROR|^E: / { print; fflush() }
  END { if (n) printf("%s  %d %s, done\n", live ? "\r" : "", n, what) }' >&2
