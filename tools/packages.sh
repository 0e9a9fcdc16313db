#!/usr/bin/env bash
# The system's packages: installed when root or sudo allows, else the exact line to run.
set -eu
wanted="xvfb xauth libegl1 libgl1 libfontconfig1 libdbus-1-3 libglib2.0-0 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4
  libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 libportaudio2
  libsndfile1"
command -v dpkg-query >/dev/null || { echo "Not a Debian system: please install what these hold: $wanted"; exit 0; }
missing=""
for package in $wanted; do
  dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q "ok installed" || missing="$missing $package"
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then run=""
elif sudo -n true 2>/dev/null; then run="sudo"
else
  echo "Please run this once, then the same command again:"
  echo "  sudo apt-get install -y$missing"
  exit 1
fi
echo "Installing$missing …"
$run apt-get update -qq
DEBIAN_FRONTEND=noninteractive $run apt-get install -y -qq --no-install-recommends $missing >/dev/null
