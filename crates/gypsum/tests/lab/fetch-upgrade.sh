#!/usr/bin/env bash
# The packages with which a host of the lab is upgraded to the next release of Debian, offline.
#
#   fetch-upgrade.sh SUITE DIR      such as: fetch-upgrade.sh trixie /var/tmp/gypsum-trees/upgrade
#
# Needs root and the package source of this machine. It takes about a minute, and nothing where DIR is complete for what is installed here. In the
# host, DIR/apt-get is apt-get with these packages alone.
set -euo pipefail
suite=$1 dir=$2
packages='openssh-server nginx-light redis-server squid mariadb-server bind9'
# What is needed depends on what is installed here, which a host of the lab has, too.
installed=$(dpkg-query -W | sha256sum)
[[ $(cat "$dir/.complete" 2>/dev/null) != "$installed" ]] || exit 0
lists=(/etc/apt/sources.list.d/*.sources /etc/apt/sources.list)
source=$( { cat "${lists[@]}" 2>/dev/null || true; } | grep -Eo '[a-z+]+://[^ ]+/debian/?( |$)' | head -n 1 | tr -d ' ')
[[ $source ]] || { echo "the package manager of this machine has no source of Debian" >&2; exit 1; }
rm -rf "$dir"
mkdir -p "$dir/lists/partial" "$dir/cache/archives/partial"
echo "deb $source $suite main" >"$dir/sources.list"
cat >"$dir/apt-get" <<END
#!/bin/sh
exec apt-get -o Dir::State::lists=$dir/lists -o Dir::Etc::sourcelist=$dir/sources.list -o Dir::Etc::sourceparts=/dev/null -o Dir::Cache=$dir/cache "\$@"
END
chmod +x "$dir/apt-get"
"$dir/apt-get" update -qq
"$dir/apt-get" install --download-only -y -qq $packages >"$dir.log" 2>&1 || { tail "$dir.log" >&2; exit 1; }
chmod -R a+rX "$dir"
echo "$installed" >"$dir/.complete"
