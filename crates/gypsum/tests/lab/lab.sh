#!/usr/bin/env bash
# A disposable host with a real systemd as its first process, for the tests against real daemons.
#
#   lab.sh boot DIR PROGRAM FILE...
#                         boot one; DIR is an empty folder, and holds `init`, the process id of its PID 1;
#                         PROGRAM is /usr/local/bin/gypsum in it, and each FILE is in /usr/local/lib
#   lab.sh in DIR CMD...  run a command in it, as root
#   lab.sh cut DIR IMAGE  stop all that runs in it, and copy its LAB_IMAGE as a power cut leaves it: what was not
#                         written to the disk is lost
#   lab.sh end DIR        end it; all that it changed is gone, but on a LAB_IMAGE
#
# LAB_IMAGE=FILE keeps what it changes on this ext4 image. LAB_TARGET=UNIT is the unit to boot, else basic.target.
# LAB_TREE=TREE boots the root tree of another release, as release.sh makes it.
#
# Needs root, and Debian's systemd, dbus, iproute2 and util-linux. The host sees the files of this machine
# under an overlay on a tmpfs, and has process ids, mounts, a name and a network (loopback) of its own, so
# daemons run in it on their real ports and nothing that happens there reaches this machine.
set -euo pipefail

mask='getty.target systemd-udevd.service systemd-udev-trigger.service systemd-networkd.service
  systemd-resolved.service systemd-timesyncd.service systemd-remount-fs.service dev-hugepages.mount
  dev-mqueue.mount sys-kernel-debug.mount sys-kernel-tracing.mount'

first_process() { # already in the new namespaces
  local dir=$1 root=$1/root unit program=$2
  mount --make-rprivate /
  [[ ${LAB_IMAGE:-} ]] || mount -t tmpfs tmpfs "$dir"
  mkdir -p "$dir/upper" "$dir/work" "$root"
  mount -t overlay overlay -o "lowerdir=${LAB_TREE:-/},upperdir=$dir/upper,workdir=$dir/work" "$root"
  mount -t proc proc "$root/proc"
  mount -t sysfs sysfs "$root/sys"
  if [[ ${LAB_TREE:-} ]]; then
    # From version 256 on systemd takes no other hierarchy.
    mount -t cgroup2 cgroup2 "$root/sys/fs/cgroup"
  else
    mount -t tmpfs tmpfs "$root/sys/fs/cgroup"
    mkdir -p "$root/sys/fs/cgroup/systemd" "$root/sys/fs/cgroup/unified"
    mount -t cgroup -o none,name=systemd,xattr cgroup "$root/sys/fs/cgroup/systemd"
    mount -t cgroup2 cgroup2 "$root/sys/fs/cgroup/unified"
  fi
  mount -t tmpfs -o mode=755 tmpfs "$root/run"
  mount -t tmpfs -o mode=1777 tmpfs "$root/tmp"
  mount --rbind /dev "$root/dev"
  # Daemons of one name would share their memory with those of other hosts.
  mount -t tmpfs -o mode=1777 tmpfs "$root/dev/shm"
  touch "$root/usr/local/bin/gypsum"
  mount --bind "$program" "$root/usr/local/bin/gypsum"
  [[ $# == 2 ]] || cp "${@:3}" "$root/usr/local/lib/"
  hostname saltmarsh
  ip link set lo up
  if [[ ! -e $dir/upper/etc/machine-id ]]; then
    tr -d - </proc/sys/kernel/random/uuid >"$root/etc/machine-id"
    # What was changed through Gypsum on this machine was not changed on the host.
    rm -rf "$root/var/lib/gypsum" "$root/etc/gypsum"
  fi
  for unit in $mask; do ln -sf /dev/null "$root/etc/systemd/system/$unit"; done
  mkdir -p "$root/old"
  cd "$root"
  pivot_root . old
  umount -l old
  export container=lab
  exec /lib/systemd/systemd --system --unit="${LAB_TARGET:-basic.target}" --log-target=journal --show-status=0 </dev/null
}

groups_of() { echo "/sys/fs/cgroup/systemd/$1" "/sys/fs/cgroup/unified/$1"; }
name_of() { echo "gypsum-$(basename "$(dirname "$1")")-$(basename "$1")"; }
enter() { nsenter -t "$1" -m -p -u -i -n -C "${@:2}"; }

case ${1:-} in
  boot)
    dir=$(readlink -f "$2") name=$(name_of "$2")
    mkdir -p "$dir/fs"
    if [[ ${LAB_IMAGE:-} ]]; then
      mount -o loop "$LAB_IMAGE" "$dir/fs"
      echo "$LAB_IMAGE" >"$dir/image"
    fi
    setsid bash -c '
      for group in $3; do mkdir -p "$group" && echo $$ >"$group/cgroup.procs"; done
      exec unshare -m -p -u -i -n -C --fork --kill-child "$0" first "$1/fs" "${@:4}"
    ' "$(readlink -f "$0")" "$dir" "$name" "$(groups_of "$name")" "${@:3}" >"$dir/boot.log" 2>&1 </dev/null &
    outer=$!
    for _ in $(seq 600); do
      pid=$(pgrep -P "$outer" -x systemd 2>/dev/null | head -n 1 || true)
      if [[ -n $pid ]]; then
        echo "$pid" >"$dir/init"
        state=$(enter "$pid" systemctl is-system-running 2>/dev/null || true)
        if [[ $state == running || $state == degraded ]]; then
          enter "$pid" systemctl start dbus.socket 2>/dev/null || true
          exit 0
        fi
      fi
      sleep 0.05
    done
    echo "the lab did not boot:" >&2
    cat "$dir/boot.log" >&2
    exit 1
    ;;
  first) first_process "${@:2}" ;;
  in) exec nsenter -t "$(cat "$2/init")" -m -p -u -i -n -C "${@:3}" ;;
  cut)
    enter "$(cat "$2/init")" kill -STOP -- -1
    cp --sparse=always "$(cat "$2/image")" "$3"
    ;;
  end)
    kill -9 "$(cat "$2/init")" 2>/dev/null || true
    for _ in 1 2 3 4 5 6 7 8 9 10; do
      for group in $(groups_of "$(name_of "$2")"); do
        find "$group" -depth -type d -exec rmdir {} + 2>/dev/null || true
      done
      [[ ! -e $2/image ]] || umount "$2/fs" 2>/dev/null || true
      [[ -e /sys/fs/cgroup/systemd/$(name_of "$2") ]] || exit 0
      sleep 0.1
    done
    ;;
  *) sed -n '2,17p' "$0" | sed 's/^# \{0,1\}//'; exit 2 ;;
esac
