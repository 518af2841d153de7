#!/bin/sh
# Takes away everything that let Tempestas look after this host. Run it as root.
set -eu
[ "$(id -u)" = 0 ] || { echo "run this as root" >&2; exit 1; }
if ls /var/lib/tempestas-host/grants/* >/dev/null 2>&1; then
  echo "grants are live here; end them first, or they would never end" >&2
  exit 1
fi
if [ -d /run/systemd/system ]; then
  systemctl disable --now --quiet tempestas-host-sweep.timer || true
  rm -f /etc/systemd/system/tempestas-host-sweep.service /etc/systemd/system/tempestas-host-sweep.timer
  systemctl daemon-reload
fi
rm -f /etc/ssh/sshd_config.d/10-tempestas.conf /etc/sudoers.d/tempestas @PROGRAM@
rm -rf /etc/tempestas /var/lib/tempestas-host
userdel --remove @SERVICE@ 2>/dev/null || userdel @SERVICE@
[ ! -f /run/sshd.pid ] || kill -HUP "$(cat /run/sshd.pid)"
echo "nothing of Tempestas is left here"
