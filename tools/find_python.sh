#!/usr/bin/env bash
# Prints the newest Python that the program runs on: 3.13, 3.12 or 3.11; or the one that PYTHON names.
set -u
for python in ${PYTHON:-python3.13 python3.12 python3.11 python3}; do
  version=$("$python" -c 'import sys; print("%d.%d" % sys.version_info[:2])' 2>/dev/null) || continue
  case $version in 3.11 | 3.12 | 3.13) command -v "$python"; exit 0 ;; esac
done
echo "No Python 3.11, 3.12 or 3.13 was found. On Debian: sudo apt-get install -y python3 python3-venv" >&2
exit 1
