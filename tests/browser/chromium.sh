#!/bin/sh
# What ChromeDriver starts. It expects a first page, and the small headless Chromium opens one only where it is named.
exec /usr/lib/chromium/chromium-headless-shell "$@" about:blank
