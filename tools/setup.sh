#!/usr/bin/env bash
# Makes the environment in a folder (.venv) for a Python, with the pinned packages and compiled kernels.
# What goes wrong is said in one sentence, with the line to run.
set -u
cd "$(dirname "$0")/.."
folder=${1:-.venv}
log=$(mktemp)
trap 'rm -f "$log"' EXIT

give_up() {
  if grep -q "No space left on device" "$log"; then
    echo "The disk is full. Make some room (3 GB), then run the same command again." >&2
  elif grep -qE "ensurepip is not|No module named '?(venv|ensurepip)" "$log"; then
    echo "Python has no venv here. Run this, then the same command again:" >&2
    echo "  sudo apt-get install -y python$("$python" -c 'import sys; print("%d.%d" % sys.version_info[:2])')-venv" >&2
  elif grep -qE "NewConnectionError|Name or service|Network is unreachable|Temporary failure|Could not fetch|Max retries" "$log"; then
    echo "The packages cannot be fetched: the network, or the package index, is not there. Run the same command again later." >&2
  else
    tail -n 12 "$log" >&2
    echo "$1 did not work; what it said stands above." >&2
  fi
  exit 1
}

# a line for every package while pip works, at once whatever awk a machine has, and all that it says in the log
progress() {
  tee -a "$log" | while IFS= read -r line; do
    case $line in "Collecting "* | "Installing "* | "Building "* | *"Downloading "*)
      line=${line#"${line%%[![:space:]]*}"}
      printf '  %.100s\n' "${line%% (*}" ;;
    esac
  done
}

bash tools/packages.sh || exit 1
python=$(bash tools/find_python.sh) || exit 1
if [ -e "$folder" ] && ! "$folder/bin/python" -m pip --version >/dev/null 2>&1; then
  echo "$folder was left half-made; it is made anew."
  rm -rf "$folder"
fi
if [ ! -e "$folder" ]; then
  echo "Making $folder with $("$python" --version) …"
  "$python" -m venv "$folder" >"$log" 2>&1 || { rm -rf "$folder"; give_up "Making $folder"; }
fi
set -o pipefail
echo "Fetching packages (about sixty, 400 MB the first time) …"
pip="$folder/bin/python -m pip install --disable-pip-version-check --progress-bar off -c constraints.txt"
$pip setuptools wheel 2>&1 | progress || give_up "Fetching the packages"
# by its path: a finder of its own would cost each start 10 ms, and the engine's as many
$pip --no-build-isolation --config-settings editable_mode=compat -e '.[dev]' 2>&1 | progress || give_up "Fetching the packages"
"$folder/bin/python" -m compileall -q felt_dial 2>>"$log" || give_up "Compiling the program"
# how far it is goes to the terminal, and all that it says to the log
"$folder/bin/python" -m felt_dial.sound.compiling.compile 2> >(tee -a "$log" >&2) || give_up "Compiling the kernels"
touch "$folder/ready"
