# Set-up shared by the commands: Debian packages, npm packages, build. Sourced, not run.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
export NEXT_TELEMETRY_DISABLED=1

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

# Installs the Debian packages whose commands are missing: need COMMAND PACKAGE ...
need() {
  local missing=()
  while [ $# -gt 0 ]; do
    PATH="$PATH:/usr/sbin:/sbin" command -v "$1" >/dev/null 2>&1 || missing+=("$2")
    shift 2
  done
  if [ ${#missing[@]} -gt 0 ]; then
    echo "Installing ${missing[*]}"
    as_root apt-get update -qq
    # The package would start a server of its own; ours is private.
    DEBIAN_FRONTEND=noninteractive as_root apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  fi
  export PATH="$PATH:/usr/sbin:/sbin"
}

# The CAD kernel as a program of the system reads some ten times as fast as the one inside, which does without.
native_kernel() {
  [ -n "$(compgen -c occt-draw-)" ] && [ -d /usr/share/opencascade/resources ] && return
  echo "Installing occt-draw"
  { as_root apt-get update -qq && DEBIAN_FRONTEND=noninteractive as_root apt-get install -y -qq --no-install-recommends occt-draw occt-misc >/dev/null; } ||
    echo "It cannot be had here: CAD files are read by the kernel inside, which takes longer."
}

# What the tests of a database cluster need.
galera() {
  need rsync rsync setpriv util-linux
  [ -n "$(compgen -G '/usr/lib/*/libgalera_smm.so'; compgen -G '/usr/lib/libgalera_smm.so')" ] && return
  # The server's package brings it unless what it recommends is left out.
  as_root apt-get update -qq && DEBIAN_FRONTEND=noninteractive as_root apt-get install -y -qq --no-install-recommends galera-4 >/dev/null
}

modules() {
  mkdir -p var
  local want
  want=$(sha256sum package-lock.json | cut -d' ' -f1)
  if [ ! -d node_modules ] || [ "$(cat var/modules 2>/dev/null)" != "$want" ]; then
    echo "Installing npm packages"
    npm ci --no-audit --no-fund --loglevel=error
    echo "$want" >var/modules
  fi
}

# What goes into a build, as one number.
sources() {
  find src demo package-lock.json next.config.ts tsconfig.json -type f ! -name '*.test.ts' -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -d' ' -f1
}

# Builds the app when a file that goes into it is newer than the last build.
build() {
  local want
  want=$(sources)
  if [ ! -f .next/BUILD_ID ] || [ "$(cat var/build 2>/dev/null)" != "$want" ]; then
    echo "Building the app"
    rm -f var/build
    node --import tsx src/cli/buildPlayer.ts >var/build.log 2>&1 || { cat var/build.log; exit 1; }
    PLEXTAN_BUILD=$want npx next build >var/build.log 2>&1 || { cat var/build.log; exit 1; }
    node --import tsx src/cli/buildPrograms.ts >var/build.log 2>&1 || { cat var/build.log; exit 1; }
    echo "$want" >var/build
  fi
}
