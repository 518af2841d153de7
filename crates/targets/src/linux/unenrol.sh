#!/bin/sh
# Takes away everything that let Tempestas look after this host. Run it as root.
set -eu
[ "$(id -u)" = 0 ] || { echo "run this as root" >&2; exit 1; }
nothing_is_live() {
  if ls /var/lib/tempestas-host/grants/* >/dev/null 2>&1; then
    echo "grants are live here; end them first, or they would never end" >&2
    exit 1
  fi
}
ours_runs() {
  for one in /proc/[0-9]*; do
    [ "$(readlink "$one/exe" 2>/dev/null)" != @PROGRAM@ ] || return 0
    # A session that was open before; what is dead and only not yet buried is none.
    [ "$(stat -c %U "$one" 2>/dev/null)" != @SERVICE@ ] || grep -q '^State:.*Z' "$one/status" 2>/dev/null || return 0
  done
  return 1
}
wait_for_ours() {
  left=300
  while ours_runs; do
    left=$((left - 1))
    [ "$left" -gt 0 ] || { nothing_is_live; echo "@PROGRAM@ still runs here, or a session of @SERVICE@; end it, and run this again" >&2; exit 1; }
    sleep 0.2
  done
}
nothing_is_live
# No order comes any more. What runs of ours is soon done, and may give, or write to where we keep things, until it is.
rm -f /etc/sudoers.d/tempestas /etc/ssh/sshd_config.d/10-tempestas.conf
[ ! -f /run/sshd.pid ] || kill -HUP "$(cat /run/sshd.pid)"
wait_for_ours
nothing_is_live
if [ -d /run/systemd/system ]; then
  systemctl disable --now --quiet tempestas-host-sweep.timer || true
  systemctl stop --quiet tempestas-host-sweep.service || true
  rm -f /etc/systemd/system/tempestas-host-sweep.service /etc/systemd/system/tempestas-host-sweep.timer
  systemctl daemon-reload
fi
rm -f @PROGRAM@
rm -rf /etc/tempestas /var/lib/tempestas-host
# Whoever was just signing in is refused by now, or in and soon done.
wait_for_ours
userdel --remove @SERVICE@ 2>/dev/null || userdel @SERVICE@
echo "nothing of Tempestas is left here"
