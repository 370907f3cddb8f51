# Installs what is missing. Sourced by ./start, ./test and ./yuplet, which set $here to the project's root.
# Every function looks first and does nothing, and needs no network, when its work is done already.

export VIRTUAL_ENV="$here/.venv"
export PATH="$VIRTUAL_ENV/bin:$PATH"
var="${YUPLET_VAR:-$here/var}"
# Images of containers often forbid it; each of our dozen processes would compile all our sources when it starts.
unset PYTHONDONTWRITEBYTECODE

say() { printf '%s\n' "$*"; }
stop() { printf 'yuplet: %s\n' "$*" >&2; exit 2; }

# Parts that are started at the same moment on one machine prepare it one after the other.
alone() { exec 9<"$here/ops/prepare.sh"; if command -v flock >/dev/null; then flock 9; fi; }
ready() { exec 9<&-; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else stop "'$*' needs the rights of root, and sudo is not there. Run it as root once, then try again."
  fi
}

# need_debian COMMAND PACKAGE...: installs Debian packages when a command is not there.
need_debian() {
  command -v "$1" >/dev/null || [ -x "/usr/sbin/$1" ] && return 0
  command -v apt-get >/dev/null || stop "'$1' is missing, and this is not a Debian system. Install it by hand: ${*:2}."
  say "Installing ${*:2} ..."
  mkdir -p "$var"
  # The servers among them are run by us, on our own data: those of the system stay as they are, and none is started.
  local policy=/usr/sbin/policy-rc.d ours=
  if [ ! -e "$policy" ]; then ours=1; printf '#!/bin/sh\nexit 101\n' | as_root tee "$policy" >/dev/null; as_root chmod 755 "$policy"; fi
  { as_root apt-get update -qq && as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${@:2}"; } \
    >"$var/apt.log" 2>&1 || { [ -z "$ours" ] || as_root rm -f "$policy"; stop "Installing ${*:2} failed; $var/apt.log says why."; }
  [ -z "$ours" ] || as_root rm -f "$policy"
}

# need_python LIST: a virtual environment with the packages of a hashed list, and our core in it.
need_python() {
  local list="$here/$1" mark="$VIRTUAL_ENV/.installed-$1"
  if [ ! -x "$VIRTUAL_ENV/bin/python" ]; then
    local python
    python=$(command -v python3 || true)
    [ -n "$python" ] || stop "Python 3.11 or newer is missing. Install it and try again."
    "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || stop "Python 3.11 or newer is needed; $python is older."
    "$python" -c 'import ensurepip' 2>/dev/null || need_debian no-such-command python3-venv
    "$python" -m venv "$VIRTUAL_ENV" || stop "The virtual environment $VIRTUAL_ENV could not be made."
  fi
  if ! cmp -s "$list" "$mark"; then
    say "Installing Python packages of $1 ..."
    mkdir -p "$var"
    "$VIRTUAL_ENV/bin/python" -m pip install --quiet --disable-pip-version-check --require-hashes -r "$list" >"$var/pip.log" 2>&1 \
      || stop "Installing Python packages failed; $var/pip.log says why."
    cp "$list" "$mark"
    rm -f "$VIRTUAL_ENV/.compiled"
  fi
  # A folder that was moved or cloned anew must find its own core.
  printf '%s\n' "$here/core/src" >"$("$VIRTUAL_ENV/bin/python" -c 'import sysconfig; print(sysconfig.get_path("purelib"))')/yuplet.pth"
  # The compiled loops are made now rather than on the first click; looking through all of them takes three seconds.
  local sources
  sources=$(cd "$here/core/src" && find yuplet -name '*.py' -printf '%p %T@\n' | LC_ALL=C sort | sha256sum)
  if [ "$sources" != "$(cat "$VIRTUAL_ENV/.compiled" 2>/dev/null)" ]; then
    "$VIRTUAL_ENV/bin/python" -m yuplet.compiled || stop "The core could not be loaded."
    printf '%s\n' "$sources" >"$VIRTUAL_ENV/.compiled"
  fi
}

# need_own_python: what this installation runs with; a studio's queue and store need more.
need_own_python() {
  if [ -n "${YUPLET_QUEUE:-}${YUPLET_STORE:-}" ]; then need_python requirements-studio.txt; else need_python requirements.txt; fi
}

need_web_packages() {
  command -v node >/dev/null && command -v npm >/dev/null || stop "Node 20 or newer with npm is missing. Install it and try again."
  if ! cmp -s "$here/web/package-lock.json" "$here/web/node_modules/.installed"; then
    say "Installing front-end packages ..."
    mkdir -p "$var"
    (cd "$here/web" && npm ci --no-audit --no-fund --ignore-scripts) >"$var/npm.log" 2>&1 || stop "Installing front-end packages failed; $var/npm.log says why."
    cp "$here/web/package-lock.json" "$here/web/node_modules/.installed"
  fi
}

# The front end is built when a digest of its sources is not the one that was built last. Scripts and styles lie beside
# their compressed form, which is a third as large and is what a browser gets.
need_web_build() {
  need_web_packages
  local digest
  digest=$(cd "$here/web" && find src public index.html package-lock.json vite.config.ts tsconfig.json -type f | LC_ALL=C sort | xargs sha256sum | sha256sum)
  if [ "$digest" != "$(cat "$here/web/dist/.digest" 2>/dev/null)" ]; then
    say "Building the front end ..."
    (cd "$here/web" && npx vite build) >"$var/web-build.log" 2>&1 || stop "Building the front end failed; $var/web-build.log says why."
    "$VIRTUAL_ENV/bin/python" -m whitenoise.compress --quiet "$here/web/dist/assets" || stop "Compressing the front end failed."
    printf '%s\n' "$digest" >"$here/web/dist/.digest"
  fi
}
