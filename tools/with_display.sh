#!/usr/bin/env bash
# Runs a command on the display there is, or on a virtual one.
set -eu
if [ -n "${DISPLAY:-}" ] || [ -n "${WAYLAND_DISPLAY:-}" ]; then
  exec "$@"
fi
echo "No display: the window opens on a virtual one (Xvfb, 1280 × 800)."
exec xvfb-run -a -s "-screen 0 1280x800x24" "$@"
