#!/usr/bin/env bash
# Installs the packages that are missing, of those sections of packages.txt that are named:
#   cmake/install_packages.sh build test
set -euo pipefail
cd "$(dirname "$0")/.."
wanted=("$@")
in_section=false
packages=()
while read -r line; do
  if [[ $line == "# ["* ]]; then
    section=${line#"# ["}
    section=${section%%"]"*}
    in_section=true
    [[ " ${wanted[*]} " == *" $section "* ]] || in_section=false
  elif [[ -n $line && $line != "#"* ]] && $in_section; then
    packages+=("$line")
  fi
done < packages.txt
missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' ||
    missing+=("$package")
done
[ ${#missing[@]} -eq 0 ] && exit 0
echo "installing: ${missing[*]}"
as_root=()
[ "$(id -u)" -eq 0 ] || as_root=(sudo)
"${as_root[@]}" apt-get update -qq
"${as_root[@]}" env DEBIAN_FRONTEND=noninteractive \
  apt-get install -y -qq --no-install-recommends "${missing[@]}"
