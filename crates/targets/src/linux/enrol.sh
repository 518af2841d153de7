#!/bin/sh
# Lets Tempestas (installation @INSTALLATION@) look after this host. Read it, then run it as root.
# It may be run again; a host.toml that is there stays as it is.
set -eu
[ "$(id -u)" = 0 ] || { echo "run this as root" >&2; exit 1; }
[ -x @PROGRAM@ ] || { echo "place the program tempestas-host at @PROGRAM@ first" >&2; exit 1; }
command -v visudo >/dev/null && command -v cvtsudoers >/dev/null || { echo "install sudo first" >&2; exit 1; }

# The account that orders come through: no password, no keys of its own.
id @SERVICE@ >/dev/null 2>&1 || useradd --system --create-home --home-dir /var/lib/@SERVICE@ --shell /bin/sh @SERVICE@

umask 022
mkdir -p /etc/tempestas /etc/sudoers.d /etc/ssh/sshd_config.d
echo '@PEOPLE@' > /etc/tempestas/people_ca.pub
echo '@ORDERS@' > /etc/tempestas/orders_ca.pub
[ -f /etc/tempestas/revoked ] || : > /etc/tempestas/revoked
# The one way in for orders, and the one thing that may be done there.
echo 'restrict,command="sudo -n @PROGRAM@" @SERVICE@@@HOST@' > /etc/tempestas/orders_principals

# What may be ordered here at all. Only this host's root changes it.
if [ ! -f /etc/tempestas/host.toml ]; then
  cat > /etc/tempestas/host.toml <<'END'
installation = "@INSTALLATION@"
target = "@HOST@"
service = "@SERVICE@"
# The longest time that anything may be given for.
longest = "8h"
# Whether `root`, all commands, may be given; and which groups' membership.
all_commands = true
groups = []
# The sealed emergency holders: accounts that are given nothing, from which nothing is taken, and whose every use is an alarm.
sealed = []
# Whether orders may change which authorities are trusted here, as when one follows another. With `false` this host's
# root does it, by running the enrolment script again.
follow_authorities = true
# What this host says of itself, like site = "north quay". Rules of terms that go by it only tighten.
[attributes]
# Commands that may be given under a name, as sudoers writes them, like
# restart-gates = ["/usr/bin/systemctl restart gates"]
[commands]
END
fi
chmod 644 /etc/tempestas/*

cat > /etc/sudoers.d/.tempestas.new <<'END'
# Orders of Tempestas come through this account, and end in this one program.
@SERVICE@ ALL=(root) NOPASSWD: @PROGRAM@ ""
# What is done by sudo is written to the system's log in a form that can be read.
Defaults syslog=authpriv, log_format=json
# Our own orders are not activity.
Defaults:@SERVICE@ !syslog
END
chmod 440 /etc/sudoers.d/.tempestas.new
visudo -c -q -f /etc/sudoers.d/.tempestas.new
mv /etc/sudoers.d/.tempestas.new /etc/sudoers.d/tempestas

cat > /etc/ssh/sshd_config.d/10-tempestas.conf <<'END'
Match User @SERVICE@
    TrustedUserCAKeys /etc/tempestas/orders_ca.pub
    AuthorizedPrincipalsFile /etc/tempestas/orders_principals
    AuthorizedKeysFile none
    PasswordAuthentication no
    KbdInteractiveAuthentication no
Match User *,!@SERVICE@
    TrustedUserCAKeys /etc/tempestas/people_ca.pub
    AuthorizedPrincipalsCommand @PROGRAM@ principals %u %s
    AuthorizedPrincipalsCommandUser root
    RevokedKeys /etc/tempestas/revoked
Match all
END
mkdir -p /run/sshd
sshd -t

# What ends grants also after a restart of the host.
if [ -d /run/systemd/system ]; then
  cat > /etc/systemd/system/tempestas-host-sweep.service <<'END'
[Unit]
Description=Ends what is due of the rights that Tempestas gave here
[Service]
Type=oneshot
ExecStart=@PROGRAM@ sweep
END
  cat > /etc/systemd/system/tempestas-host-sweep.timer <<'END'
[Unit]
Description=Ends what is due of the rights that Tempestas gave here
[Timer]
OnBootSec=5s
OnUnitActiveSec=20s
AccuracySec=1s
[Install]
WantedBy=timers.target
END
  systemctl daemon-reload
  systemctl enable --now --quiet tempestas-host-sweep.timer
fi
# sshd reads its settings anew.
[ ! -f /run/sshd.pid ] || kill -HUP "$(cat /run/sshd.pid)"
echo "placed; now run: tempestas targets check"
