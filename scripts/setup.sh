# setup.sh: what ./start and ./test share. Sourced, not run.

# need PROGRAM=PACKAGE ...: installs the Debian packages of the programs that are missing.
need() {
  local missing=() pair
  for pair in "$@"; do
    command -v "${pair%%=*}" >/dev/null 2>&1 || [ -x "/usr/sbin/${pair%%=*}" ] || missing+=("${pair#*=}")
  done
  [ ${#missing[@]} -eq 0 ] && return 0
  echo "Installing ${missing[*]}"
  local as=()
  if [ "$(id -u)" -ne 0 ]; then
    if ! command -v sudo >/dev/null 2>&1; then
      echo "These Debian packages are missing: ${missing[*]}. Ask an administrator to run: apt-get install ${missing[*]}" >&2
      return 1
    fi
    as=(sudo)
  fi
  if ! { "${as[@]}" apt-get update -qq && "${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}"; } >/tmp/ruvel-install.log 2>&1; then
    tail -n 5 /tmp/ruvel-install.log >&2
    echo "The packages ${missing[*]} could not be installed; /tmp/ruvel-install.log says why." >&2
    return 1
  fi
}

# toolchain: Go and Node are expected to be there.
toolchain() {
  [ -d /usr/local/go/bin ] && PATH="$PATH:/usr/local/go/bin"
  PATH="$PATH:/usr/sbin"
  local program
  for program in go node npm; do
    if ! command -v "$program" >/dev/null 2>&1; then
      echo "$program is not installed. Ruvel is built with Go 1.26 and Node 20; install them and try again." >&2
      return 1
    fi
  done
}

# front_end: installs what the front end is built with and builds it, if anything of it has changed since.
front_end() {
  local sources stamp=ui/dist/.built
  sources=$(cat ui/package-lock.json ui/index.html ui/vite.config.ts docs/openapi.json $(find ui/src ui/public -type f | sort) | sha256sum)
  if [ ! -f ui/node_modules/.package-lock.json ] || [ ui/package-lock.json -nt ui/node_modules/.package-lock.json ]; then
    echo "Fetching what the front end is built with"
    npm --prefix ui ci --no-audit --no-fund --loglevel=error >/dev/null || return 1
    touch ui/node_modules/.package-lock.json
  fi
  if [ ! -f "$stamp" ] || [ "$(cat "$stamp")" != "$sources" ]; then
    echo "Building the front end"
    npm --prefix ui run --silent types >/dev/null && npm --prefix ui run --silent build -- --logLevel warn && echo "$sources" >"$stamp"
  fi
}
