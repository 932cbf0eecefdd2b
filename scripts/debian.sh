#!/usr/bin/env bash
# Install what tests need of Debian and is missing: Chromium without a window drives the interface, ngspice is the
# reference for circuits, nginx stands in front as it does in production.
set -euo pipefail
command -v chromium-headless-shell >/dev/null && command -v ngspice >/dev/null && command -v nginx >/dev/null && exit 0
echo "Installing Chromium, ngspice and nginx from Debian's packages (about a minute)" >&2
sudo=""
[ "$(id -u)" = 0 ] || sudo="sudo"
$sudo apt-get update -qq >/dev/null
DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -q --no-install-recommends chromium-headless-shell ngspice nginx-light 2>&1 |
  scripts/counted.sh '^(Unpacking|Setting up)' "" "steps (unpacking and setting up)"
