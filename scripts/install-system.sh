#!/usr/bin/env bash
# Installs the Debian packages that are missing. No service of theirs is started: the demo and the
# tests start servers of their own, on loopback.
set -euo pipefail

packages=(postgresql slapd ldap-utils etcd-server etcd-client openssh-server openssh-client openvswitch-switch openvswitch-common cups cups-client cups-ipp-utils chromium openssl patch diffutils gcc python3-dev python3-venv libldap-dev libsasl2-dev)
missing=()
for package in "${packages[@]}"; do
  state=$(dpkg-query -W -f '${db:Status-Status}' "$package" 2>/dev/null || true)
  [ "$state" = installed ] || missing+=("$package")
done
[ ${#missing[@]} -eq 0 ] && exit 0

as_root=()
if [ "$(id -u)" -ne 0 ]; then
  if sudo -n true 2>/dev/null; then
    as_root=(sudo)
  else
    echo "These Debian packages are missing, and installing them needs root:" >&2
    echo "  apt-get install ${missing[*]}" >&2
    exit 1
  fi
fi

echo "Installing: ${missing[*]}"
policy=/usr/sbin/policy-rc.d
if [ ! -e $policy ]; then
  printf '#!/bin/sh\nexit 101\n' | "${as_root[@]}" tee $policy >/dev/null
  "${as_root[@]}" chmod +x $policy
  trap '"${as_root[@]}" rm -f $policy' EXIT
fi
"${as_root[@]}" apt-get update -qq
"${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
