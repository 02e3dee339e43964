# Sourced by ./run and ./test: installs the packages that are missing and builds. Not meant to be started by itself.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"

missing=""
# The tests' own packages, with services in them, are not for everybody who runs the program.
for package in $({ [ -n "${with_tests:-}" ] && cat packages.txt || sed '/^# Only the tests/,$d' packages.txt; } | grep -v '^#'); do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $package"
done
if [ -n "$missing" ]; then
  echo "Installing Debian packages:$missing"
  as_root=""
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null || { echo "These packages are missing and there is no sudo to install them. As root: apt-get install$missing" >&2; exit 1; }
    as_root="sudo"
  fi
  export DEBIAN_FRONTEND=noninteractive
  if ! $as_root apt-get update -qq || ! $as_root apt-get install -y --no-install-recommends $missing; then
    echo "The packages could not be installed (no network, or no rights?). Needed:$missing" >&2
    exit 1
  fi
fi

build() {  # build PRESET [options]: configures and builds, showing progress
  local preset="$1"; shift
  echo "Building (build/$preset)…"
  cmake --preset "$preset" "$@" >"build-$preset.log" 2>&1 || { cat "build-$preset.log" >&2; exit 1; }
  rm -f "build-$preset.log"
  cmake --build "build/$preset" -j "$(nproc)"
}
