#!/usr/bin/env bash
# Migrate, load and serve the demo on the first free port from PORT (8000) upwards.
set -euo pipefail
umask 077
cd "$(dirname "$0")/.."
export DJANGO_SETTINGS_MODULE=rainfront.settings.demo RAINFRONT_HASHED=yes
py=.venv/bin/python
# What does not wait for each other runs beside each other: there are two cores on the smallest machine.
"$py" manage.py migrate --verbosity 0 &
migrating=$!
"$py" manage.py collectstatic --noinput --verbosity 0
"$py" manage.py compile
wait "$migrating"
"$py" manage.py tidy >/dev/null
meter=$("$py" scripts/free_port.py "${METER_PORT:-7711}")
probe=$("$py" scripts/free_port.py "${PROBE_PORT:-$((meter + 1))}")
supply=$("$py" scripts/free_port.py "${SUPPLY_PORT:-$((probe + 1))}")
thermo=$("$py" scripts/free_port.py "$((supply + 1))")
"$py" manage.py standins --meter "$meter" --probe "$probe" --device port_ic_fault.lines --percent 2 --supply "$supply" --thermo "$thermo" \
  --cell-speed "${CELL_SPEED:-20}" &
running="$!"
trap 'kill $running 2>/dev/null; wait 2>/dev/null; exit 0' INT TERM EXIT
# The watch over the supply; one that was killed is started again, and its first act is OFF.
export RAINFRONT_WATCH="${RAINFRONT_WATCH:-$(dirname "${RAINFRONT_DEMO_DATABASE:-var/demo.sqlite3}")/watch}"
until "$py" -m benchwatch --folder "$RAINFRONT_WATCH" 2>>"$RAINFRONT_WATCH.log"; do sleep 0.2; done &
running="$running $!"
"$py" manage.py load_demo --meter "$meter" --probe "$probe" --supply "$supply" --thermo "$thermo"
"$py" manage.py instruments &
running="$running $!"
"$py" manage.py work &
running="$running $!"
port=$("$py" scripts/free_port.py "${PORT:-8000}")
echo
echo "  Rainfront demo: http://127.0.0.1:$port/"
echo "  Sign in as tech, second, lead, owner, counter or apprentice with the password rainfront. Ctrl-C stops it."
echo
.venv/bin/gunicorn --config python:rainfront.served --bind "127.0.0.1:$port" --log-level warning &
served=$!
running="$running $served"
wait "$served" || true
