# Shared by ./run and ./test: installing what is missing and building. Sourced, not run.

set -euo pipefail
root="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
export CCACHE_SLOPPINESS="${CCACHE_SLOPPINESS:-pch_defines,time_macros}"

# install_packages SECTION...: installs the packages of these sections of the list that are missing.
install_packages() {
    local wanted=() missing=() package
    for section in "$@"; do
        while read -r package; do wanted+=("$package"); done < <(
            awk -v s="[$section]" '/^\[/ { on = ($0 == s); next } on && NF && !/^#/' "$root/packaging/debian-packages.txt")
    done
    for package in "${wanted[@]}"; do
        dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
    done
    [ "${#missing[@]}" -eq 0 ] && return 0
    echo "These Debian packages are missing and will be installed: ${missing[*]}"
    local as=()
    if [ "$(id -u)" -ne 0 ]; then
        command -v sudo >/dev/null || { echo "Run this once as root, or install them yourself: apt-get install ${missing[*]}" >&2; exit 1; }
        as=(sudo)
    fi
    "${as[@]}" apt-get update -q
    "${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}"
}

# job_count: how many compilers at a time: one a processor, as far as the memory goes, of which each may take 2 GB.
job_count() {
    local all most
    all=$(nproc)
    most=$(awk '/^MemAvailable:/ { n = int($2 / 2000000); print (n > 1 ? n : 1) }' /proc/meminfo)
    [ "$all" -le "${most:-$all}" ] && echo "$all" || echo "$most"
}

# build PRESET [cmake options]: configures and builds quietly; shows the log only when it fails.
build() {
    local preset="$1" log
    shift
    log="$root/build/$preset.log"
    mkdir -p "$root/build"
    echo "Building ($preset); the log is at build/$preset.log"
    if ! (cd "$root" && cmake --preset "$preset" "$@" && cmake --build "build/$preset" -j "$(job_count)") >"$log" 2>&1; then
        tail -n 40 "$log" >&2
        exit 1
    fi
}
