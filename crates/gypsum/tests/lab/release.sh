#!/usr/bin/env bash
# A root tree of another Debian release, with its own daemons, for hosts of the lab.
#
#   release.sh SUITE DIR      such as: release.sh trixie /var/tmp/gypsum-trees/trixie
#
# A suite that is not released yet (sid) may lack a package for a while: it is left out, and named in DIR/.missing.
#
# Needs root, debootstrap, and the package source of this machine. Nothing in the tree is started. It takes about three
# minutes, and nothing where DIR is complete.
set -euo pipefail
suite=$1 dir=$2
packages='systemd dbus iproute2 util-linux procps perl curl openssh-server nginx-light mariadb-server redis-server postgresql
  postfix php-fpm php-cli apache2 haproxy bind9 bind9-utils bind9-dnsutils squid unbound rsyslog chrony dnsmasq samba
  dovecot-imapd pulseaudio pulseaudio-utils tomcat10 gunicorn ssl-cert dns-root-data ca-certificates libpam-systemd dbus-user-session'
[[ ! -e $dir/.complete ]] || exit 0
lists=(/etc/apt/sources.list.d/*.sources /etc/apt/sources.list)
# A line of a list has its source behind options in brackets; a block of one has it behind `URIs:`.
source=$( { cat "${lists[@]}" 2>/dev/null || true; } | grep -Eo '[a-z+]+://[^ ]+/debian/?( |$)' | head -n 1 | tr -d ' ')
[[ $source ]] || { echo "the package manager of this machine has no source of Debian" >&2; exit 1; }
rm -rf "$dir"
mkdir -p "$dir"
debootstrap --variant=minbase "$suite" "$dir" "$source" >"$dir.log" 2>&1 || { tail "$dir.log" >&2; exit 1; }
printf '#!/bin/sh\nexit 101\n' >"$dir/usr/sbin/policy-rc.d"
chmod +x "$dir/usr/sbin/policy-rc.d"
cp /etc/resolv.conf "$dir/etc/resolv.conf"
cp -rn /etc/apt/apt.conf.d/. "$dir/etc/apt/apt.conf.d/"
# In a mount namespace of its own: nothing stays mounted in the tree.
suite=$suite unshare -m bash -c '
  for tree in proc sys dev; do mount --rbind "/$tree" "$0/$tree"; done
  chroot "$0" env DEBIAN_FRONTEND=noninteractive LC_ALL=C apt-get update -qq
  wanted=()
  for package; do
    if chroot "$0" apt-cache policy "$package" | grep -q "Candidate: [^(]"; then wanted+=("$package"); else echo "$package" >>"$0/.missing"; fi
  done
  if [[ ! -e $0/.missing || $suite == sid ]]; then
    chroot "$0" env DEBIAN_FRONTEND=noninteractive LC_ALL=C apt-get install -y -qq --no-install-recommends "${wanted[@]}"
  else
    echo "missing: $(<"$0/.missing")"; exit 1
  fi
' "$dir" $packages >>"$dir.log" 2>&1 || { tail "$dir.log" >&2; exit 1; }
touch "$dir/.complete"
