#!/bin/sh
# Runs a program on a screen of 1280 × 800 that is not there, with a window manager.
exec xvfb-run -a -s "-screen 0 1280x800x24" sh -c '
  openbox &
  manager=$!
  sleep 1
  QT_QPA_PLATFORM=xcb "$@"
  code=$?
  kill $manager
  exit $code' sh "$@"
