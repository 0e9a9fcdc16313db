#!/usr/bin/env bash
# The program on the other Pythons that are installed: a start, a render, and the tests of its core.
set -eu
cd "$(dirname "$0")/.."
own=$(.venv/bin/python -c 'import sys; print("%d.%d" % sys.version_info[:2])')
for version in 3.11 3.12 3.13; do
  [ "$version" = "$own" ] && continue
  python=""
  for found in "python$version" "$HOME"/.pyenv/versions/"$version".*/bin/python; do
    "$found" -c '' 2>/dev/null && python=$found && break
  done
  if [ -z "$python" ]; then echo "Python $version is not installed here."; continue; fi
  echo "Python $version:"
  folder=.venv-$version
  PYTHON=$python bash tools/setup.sh "$folder"
  "$folder/bin/felt-dial" render init -o "$folder/a4.wav" --quality 1
  QT_QPA_PLATFORM=offscreen "$folder/bin/python" tools/start_once.py
  "$folder/bin/python" -m pytest -n 2 --dist worksteal tests/patch tests/bank tests/test_cli.py tests/sound/test_wave.py tests/sound/test_filter.py -k "not demo_is_what and not as_loud_as"
done
