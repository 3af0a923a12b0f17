#!/bin/sh
# debian.sh COMMAND PACKAGE... : make sure that COMMAND is there, from Debian's packages where this may install them.
command=$1; shift
command -v "$command" >/dev/null 2>&1 && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
    echo "Installing $* ..."
    export DEBIAN_FRONTEND=noninteractive
    exec 9>"${TMPDIR:-/tmp}/vexo-debian.lock"
    command -v flock >/dev/null 2>&1 && flock 9
    apt-get -o DPkg::Lock::Timeout=600 update -qq >/dev/null 2>&1
    apt-get -o DPkg::Lock::Timeout=600 install -y -qq --no-install-recommends "$@" >/dev/null 2>&1 && exit 0
fi
echo "$command is missing and could not be installed. Install it, on Debian as root: apt-get install $*" >&2
exit 1
