#!/usr/bin/env bash
# Bring an installation to the version that is checked out: a backup first, then packages, migrations and static files.
set -euo pipefail
cd "$(dirname "$0")/.."
environment=${RAINFRONT_ENV:-/etc/rainfront.env}
if [ -z "${RAINFRONT_DATABASE:-}" ] && [ -r "$environment" ]; then
  set -a
  # shellcheck disable=SC1090
  . "$environment"
  set +a
fi
: "${RAINFRONT_DATABASE:?set the environment first, or let RAINFRONT_ENV name its file (deploy/rainfront.env)}"
export DJANGO_SETTINGS_MODULE=${DJANGO_SETTINGS_MODULE:-rainfront.settings.production}
umask 077
scripts/setup.sh base
if [ -e "$RAINFRONT_DATABASE" ]; then
  .venv/bin/python manage.py backup
fi
.venv/bin/python manage.py migrate --verbosity 0
.venv/bin/python manage.py collectstatic --noinput --verbosity 0
.venv/bin/python manage.py check --deploy
echo "Upgraded. Restart the program: systemctl restart rainfront rainfront-work"
