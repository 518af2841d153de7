# A crane's host as its keepers left it: everybody has a way to root, and nobody knows how many.
groupadd crane
useradd -m -u 1001 -s /bin/bash -G crane tomas
useradd -m -u 1002 -s /bin/bash jweir
useradd -m -u 1003 -s /bin/bash -G sudo psol
useradd -m -u 1004 -s /bin/bash -c 'Ironquay service' ironquay
useradd -m -u 1005 -s /bin/bash -G adm,shadow lmadsen
useradd -m -u 1006 -s /bin/bash -G sudo pier-seal
useradd -o -u 0 -g 0 -M -d /root -s /bin/bash keeper
mkdir -p -m 700 /root/.ssh
echo 'ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIJ4v0i6m7xYp0n1Qm3s0mJw0dY7b2c1oYw9r8k5t6u7z ironquay-remote' > /root/.ssh/authorized_keys
chmod 600 /root/.ssh/authorized_keys
cat > /etc/sudoers.d/pier <<'END'
User_Alias NIGHT = lmadsen
Cmnd_Alias CRANE = /usr/bin/tail /var/log/crane.log, /usr/bin/pkill crane-control
jweir, #1004 ALL = (ALL) NOPASSWD: ALL
%crane, !ironquay ALL = (root) NOPASSWD: CRANE
NIGHT ALL = (root) /usr/sbin/reboot
END
chmod 440 /etc/sudoers.d/pier
