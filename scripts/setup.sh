# setup.sh: what ./start and ./test share. Sourced, not run.

# need PROGRAM=PACKAGE ...: installs the Debian packages of the programs that are missing, or, where it is a path, of what lies there.
need() {
  local missing=() pair
  for pair in "$@"; do
    command -v "${pair%%=*}" >/dev/null 2>&1 || [ -x "/usr/sbin/${pair%%=*}" ] || [ -e "/${pair%%=*}" ] || missing+=("${pair#*=}")
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
  export GOFLAGS="-trimpath ${GOFLAGS:-}" # what was compiled in one folder serves in every other
  local program
  for program in go node npm; do
    if ! command -v "$program" >/dev/null 2>&1; then
      echo "$program is not installed. Ruvel is built with Go 1.26 and Node 20; install them and try again." >&2
      return 1
    fi
  done
}

# front_end: installs what the front end is built with and builds it, if anything of it has changed since.
#   front_end [checked]   also what it is checked with, and the types of the API are made anew
front_end() {
  local sources wanted stamp=ui/dist/.built installed=ui/node_modules/.installed
  sources=$(cat ui/package-lock.json ui/index.html ui/vite.config.ts docs/openapi.json $(find ui/src ui/public -type f | sort) | sha256sum)
  wanted="${1:-built} $(sha256sum <ui/package-lock.json)"
  if [ ! -f "$installed" ] || { [ "$(cat "$installed")" != "$wanted" ] && [ "$(cat "$installed")" != "checked ${wanted#* }" ]; }; then
    echo "Fetching what the front end is ${1:-built} with"
    local less=(--omit=dev)
    [ "${1:-}" = checked ] && less=()
    npm --prefix ui ci --no-audit --no-fund --loglevel=error "${less[@]}" >/dev/null || return 1
    echo "$wanted" >"$installed"
  fi
  [ "${1:-}" != checked ] || npm --prefix ui run --silent types >/dev/null || return 1
  if [ ! -f "$stamp" ] || [ "$(cat "$stamp")" != "$sources" ]; then
    echo "Building the front end"
    npm --prefix ui run --silent build -- --logLevel warn && echo "$sources" >"$stamp"
  fi
}
