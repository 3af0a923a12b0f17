#!/bin/sh
# python.sh : the Python to make the virtual environment with. The system's own first, which is built with what makes it
# quick; one that somebody built at home mostly is not, and all commands and tests take a tenth longer with it.
usable() {
    "$1" -c 'import sys; sys.exit(not (3, 11) <= sys.version_info < (3, 14))' 2>/dev/null || return 1
    "$1" -c 'import ensurepip' 2>/dev/null || { [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; }
}
for python in /usr/bin/python3 python3; do
    usable "$python" && break
done
echo "$python"
