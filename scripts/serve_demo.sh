#!/usr/bin/env bash
# Migrate, load and serve the demo on the first free port from PORT (8000) upwards.
set -euo pipefail
umask 077
cd "$(dirname "$0")/.."
# One demo for a database, and one at a time that looks for free ports: two would choose the same ones.
database=${RAINFRONT_DEMO_DATABASE:-var/demo.sqlite3}
mkdir -p "$(dirname "$database")"
exec 8>"$database.served" 9>"${TMPDIR:-/tmp}/rainfront-demo.ports"
if ! flock -n 8; then
  echo "A demo runs with $database already; end it first, or name another file in RAINFRONT_DEMO_DATABASE." >&2
  exit 1
fi
export DJANGO_SETTINGS_MODULE=rainfront.settings.demo RAINFRONT_HASHED=yes
py=.venv/bin/python
# What does not wait for each other runs beside each other: there are two cores on the smallest machine.
"$py" manage.py migrate --verbosity 0 &
migrating=$!
"$py" manage.py collectstatic --noinput --verbosity 0
"$py" manage.py compile
wait "$migrating"
"$py" manage.py tidy >/dev/null
flock 9
meter=$("$py" scripts/free_port.py "${METER_PORT:-7711}")
probe=$("$py" scripts/free_port.py "${PROBE_PORT:-$((meter + 1))}")
supply=$("$py" scripts/free_port.py "${SUPPLY_PORT:-$((probe + 1))}")
thermo=$("$py" scripts/free_port.py "$((supply + 1))")
degrees=$("$py" scripts/free_port.py "$((thermo + 1))")
"$py" manage.py standins --meter "$meter" --probe "$probe" --device port_ic_fault.lines --percent 2 --supply "$supply" --thermo "$thermo" \
  --degrees "$degrees" \
  --cell-speed "${CELL_SPEED:-20}" 8>&- 9>&- &
running="$!"
trap 'kill $running 2>/dev/null; wait 2>/dev/null; exit 0' INT TERM EXIT
# The watch over the supply; one that was killed is started again, and its first act is OFF.
export RAINFRONT_WATCH="${RAINFRONT_WATCH:-$(dirname "$database")/watch}"
watch() {
  trap 'kill "$child" 2>/dev/null; wait "$child"; exit' TERM
  until "$py" -m benchwatch --folder "$RAINFRONT_WATCH" 2>>"$RAINFRONT_WATCH.log" & child=$!; wait "$child"; do sleep 0.2; done
}
watch 8>&- 9>&- &
running="$running $!"
"$py" manage.py load_demo --meter "$meter" --probe "$probe" --supply "$supply" --thermo "$thermo" --degrees "$degrees"
"$py" manage.py instruments 8>&- 9>&- &
running="$running $!"
"$py" manage.py work 8>&- 9>&- &
running="$running $!"
port=$("$py" scripts/free_port.py "${PORT:-8000}")
echo
echo "  Rainfront demo: http://127.0.0.1:$port/"
echo "  Sign in as tech, second, lead, owner, counter or apprentice with the password rainfront. Ctrl-C stops it."
echo
.venv/bin/gunicorn --config python:rainfront.served --bind "127.0.0.1:$port" --log-level warning 8>&- 9>&- &
served=$!
# Once it answers its port is taken, and another demo may look for one.
until "$py" -c "import socket; socket.create_connection(('127.0.0.1', $port), 1)" 2>/dev/null || ! kill -0 "$served" 2>/dev/null; do sleep 0.2; done
flock -u 9
running="$running $served"
wait "$served" || true
