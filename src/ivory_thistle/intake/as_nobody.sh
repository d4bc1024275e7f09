#!/bin/sh
# Starts the browser THISTLE_BROWSER as nobody, with a profile below THISTLE_PROFILES: for an application of root.
set -eu
profile=$THISTLE_PROFILES/$$
browser=$THISTLE_BROWSER
for given in "$@"; do
  shift
  case $given in
    --user-data-dir=*) given=--user-data-dir=$profile ;;
  esac
  set -- "$@" "$given"
done
nobody=$(id -u nobody)
group=$(id -g nobody)
exec env -i HOME="$profile" PATH=/usr/bin:/bin \
  setpriv --reuid="$nobody" --regid="$group" --clear-groups --inh-caps=-all "$browser" "$@"
