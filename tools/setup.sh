# Sourced by ./start and ./check: installs what is missing, and nothing twice.

say() { printf '%s\n' "$*"; }
fail() { printf 'lucidex: %s\n' "$*" >&2; exit 1; }

find_python() {
  local candidate
  for candidate in python3.11 python3.12 python3.13 python3; do
    if command -v "$candidate" >/dev/null 2>&1 &&
      "$candidate" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info < (3, 14))' 2>/dev/null; then
      printf '%s' "$candidate"
      return
    fi
  done
}

# need_debian PACKAGE=PROGRAM … : installs the packages whose program is not here.
need_debian() {
  local pair missing=()
  for pair in "$@"; do
    PATH="$PATH:/usr/sbin" command -v "${pair#*=}" >/dev/null 2>&1 || missing+=("${pair%%=*}")
  done
  [ ${#missing[@]} -eq 0 ] && return
  command -v apt-get >/dev/null 2>&1 ||
    fail "these programs are missing, and this is no Debian system to install them on: ${missing[*]}."
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null 2>&1 ||
      fail "Debian's packages ${missing[*]} are missing. Install them as root (apt-get install ${missing[*]}), then start again."
    as_root=(sudo)
  fi
  say "Installing Debian's packages: ${missing[*]}"
  "${as_root[@]}" apt-get update -qq || fail "apt-get update failed, so ${missing[*]} cannot be installed."
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null ||
    fail "apt-get could not install ${missing[*]}."
}

# need_venv REQUIREMENTS : a virtual environment with exactly the pinned packages, checked by their hashes.
need_venv() {
  local wanted stamp=.venv/installed python
  wanted=$(sha256sum "$1" | cut -d' ' -f1)
  if [ "$(cat "$stamp" 2>/dev/null)" = "$wanted $1" ] && .venv/bin/python -c '' 2>/dev/null; then return; fi
  # what ./check installed contains all that ./start needs
  if [ "$1" = requirements.txt ] && [ "$(cat "$stamp" 2>/dev/null)" = "$(sha256sum requirements-dev.txt | cut -d' ' -f1) requirements-dev.txt" ]; then return; fi
  python=$(find_python)
  [ -n "$python" ] || fail "Python 3.11 is missing. Install Debian's packages python3 and python3-venv, then start again."
  "$python" -c 'import ensurepip, venv' 2>/dev/null || need_debian "python3-venv=no-such-program"
  say "Installing the Python packages (once) …"
  rm -f "$stamp"
  [ -x .venv/bin/python ] || "$python" -m venv .venv || fail "the virtual environment .venv could not be made."
  .venv/bin/python -m pip install -q -q --disable-pip-version-check --require-hashes -r "$1" ||
    fail "the Python packages of $1 could not be installed."
  .venv/bin/python -c 'import pathlib, sysconfig; pathlib.Path(sysconfig.get_path("purelib"), "lucidex.pth").write_text(str(pathlib.Path("src").resolve()))'
  printf '%s' "$wanted $1" >"$stamp"
}

# need_node : the tools that build and check the pages' assets.
need_node() {
  local stamp=node_modules/.installed wanted
  wanted=$(sha256sum package-lock.json | cut -d' ' -f1)
  [ "$(cat "$stamp" 2>/dev/null)" = "$wanted" ] && return
  # not "npm ci": it wants every platform's optional packages in the lock file, which a lock without addresses lacks
  npm install --no-save --no-audit --no-fund --loglevel=error >/dev/null || fail "npm could not install the packages of package-lock.json."
  printf '%s' "$wanted" >"$stamp"
}
