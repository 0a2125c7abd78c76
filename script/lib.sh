# Shared by the scripts: what a bare Debian machine lacks is installed, what is there is left alone.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

say() { printf '\n== %s\n' "$*"; }

# need COMMAND PACKAGE...: installs the packages if the command is missing.
need() {
  local command=$1; shift
  command -v "$command" >/dev/null 2>&1 && return
  say "Installing $*"
  local sudo=()
  [ "$(id -u)" = 0 ] || sudo=(sudo)
  local try
  for try in 1 2; do
    "${sudo[@]}" apt-get -o DPkg::Lock::Timeout=300 -qq update &&
      DEBIAN_FRONTEND=noninteractive "${sudo[@]}" apt-get -o DPkg::Lock::Timeout=300 -qq -y install "$@" >/dev/null && return
    sleep 5
  done
  echo "Could not install $*; install it by hand and start again." >&2
  exit 1
}

need_build() {
  need cc build-essential
  need nasm nasm
  need node nodejs npm
  command -v cargo >/dev/null 2>&1 || [ ! -x "$HOME/.cargo/bin/cargo" ] || PATH=$HOME/.cargo/bin:$PATH
  command -v cargo >/dev/null 2>&1 || { echo "Rust 1.95 or later is needed; install it with rustup and start again." >&2; exit 1; }
}

# The page's packages, exactly as locked; only when the lock changed.
web_packages() {
  if [ ! -f web/node_modules/.locked ] || ! cmp -s web/package-lock.json web/node_modules/.locked; then
    say "Installing the page's packages"
    (cd web && npm ci --no-audit --no-fund)
    cp web/package-lock.json web/node_modules/.locked
  fi
}

build_web() {
  web_packages
  say "Building the page"
  (cd web && npm run --silent build)
}
