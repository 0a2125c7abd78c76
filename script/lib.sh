# Shared by the scripts: what a bare Debian machine lacks is installed, what is there is left alone.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

say() { printf '\n== %s (after %d min %02d s)\n' "$*" $((SECONDS / 60)) $((SECONDS % 60)); }

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

# The open denoising library (Apache-2.0), an optional part that is found at run time; without it the
# built-in filter is used. It comes inside a Python wheel, of which this one and no other is taken.
optional_denoiser() {
  export OWL_DOME_DENOISER=$PWD/.fetched/denoiser/lib
  ls .fetched/denoiser/lib/libOpenImageDenoise.so.* >/dev/null 2>&1 && return
  command -v python3 >/dev/null 2>&1 && python3 -m pip --version >/dev/null 2>&1 || {
    say "Going on without the denoising library: python3 with pip is not here"
    return
  }
  say "Fetching the optional denoising library (87 MB)"
  mkdir -p .fetched/denoiser-wheel
  echo 'pyoidn==2.5.1.0 --hash=sha256:32ad13368f8de1ef63001942ad05b02a00cd732d1206d97f352d3a3f606d823e' >.fetched/denoiser-wheel/wanted.txt
  if python3 -m pip download -q --no-deps --only-binary :all: --require-hashes -d .fetched/denoiser-wheel -r .fetched/denoiser-wheel/wanted.txt &&
    python3 - <<'PY'
import glob, os, zipfile
os.makedirs('.fetched/denoiser/lib', exist_ok=True)
z = zipfile.ZipFile(glob.glob('.fetched/denoiser-wheel/*.whl')[0])
for name in z.namelist():
    base = os.path.basename(name)
    # The library, its part for the processor, and what that needs; parts for graphics cards stay out.
    if '.so' in base and not any(card in base for card in ('cuda', 'hip', 'sycl', 'ur_')):
        open(os.path.join('.fetched/denoiser/lib', base), 'wb').write(z.read(name))
PY
  then say "The denoising library is there"; else
    rm -rf .fetched/denoiser
    say "Going on without the denoising library: it could not be fetched"
  fi
  rm -rf .fetched/denoiser-wheel
}
