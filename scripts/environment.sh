# Shared by demo and check: a virtual environment with pinned packages, made or renewed only when the lock changed.

UV_VERSION=0.13.9

say() { printf '%s\n' "$*" >&2; }

find_python() {
  local candidate
  for candidate in python3.11 python3.12 python3.13 python3; do
    if "$candidate" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info < (3, 14))' 2>/dev/null; then
      command -v "$candidate"
      return
    fi
  done
  say "Wide Fork needs Python 3.11, 3.12 or 3.13; none was found. On Debian: apt-get install python3 python3-venv"
  return 1
}

install_debian() { # packages: as root, or with sudo where that asks nothing
  local as_root=""
  [ "$(id -u)" = 0 ] || as_root="sudo -n"
  command -v apt-get >/dev/null || return 1
  $as_root apt-get update -qq && DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq "$@" >/dev/null
}

prepare_environment() { # app | check
  local lock="requirements/$1.lock" stamp=".venv/$1.stamp" wanted python
  wanted="$(cat "$lock" pyproject.toml | sha256sum | cut -d' ' -f1)"
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ] && return
  python=$(find_python) || return 1
  if [ ! -x .venv/bin/python ]; then
    say "Setting up the environment (once; about a minute) ..."
    if ! "$python" -m venv .venv >/dev/null 2>&1; then
      rm -rf .venv
      say "Installing Debian's python3-venv ..."
      install_debian python3-venv || { say "python3-venv is missing. Install it: apt-get install python3-venv"; return 1; }
      "$python" -m venv .venv
    fi
  fi
  .venv/bin/python -m pip install -q --disable-pip-version-check "uv==$UV_VERSION" || return 1
  # Named, so that an environment that happens to be active is left alone.
  .venv/bin/uv pip install -q --python .venv/bin/python --require-hashes --compile-bytecode -r "$lock" || return 1
  .venv/bin/uv pip install -q --python .venv/bin/python --no-deps -e . || return 1
  if [ "$1" != app ]; then # the application compiles it beside its first requests
    say "Compiling the calculation kernel (once; about half a minute) ..."
    .venv/bin/python -m widefork.core.engine.compile_kernel || say "It cannot be compiled; models are computed plainly."
  fi
  echo "$wanted" >"$stamp"
}

prepare_browser() {
  command -v chromium >/dev/null && return
  say "Installing Debian's Chromium for the browser tests ..."
  install_debian chromium || { say "Chromium is missing. Install it: apt-get install chromium"; return 1; }
}

prepare_office() { # what recalculates workbooks in the tests
  command -v soffice >/dev/null && return
  say "Installing Debian's LibreOffice Calc, which recalculates workbooks in the tests ..."
  install_debian --no-install-recommends libreoffice-calc ||
    { say "LibreOffice is missing. Install it: apt-get install libreoffice-calc"; return 1; }
}
