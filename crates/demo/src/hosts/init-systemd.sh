#!/bin/sh
# Becomes one host whose first process is systemd, in no user namespace: a root file system of its own over the shared one.
# It can't set the machine's clock, load modules or make devices.
# init-systemd.sh LOWER DIRECTORY NAME ADDRESS PORT
set -eu
lower=$1 own=$2 name=$3 address=$4 port=$5
mount --make-rprivate /
mkdir -p "$own/upper" "$own/work" "$own/root"
mount -t overlay -o "lowerdir=$lower,upperdir=$own/upper,workdir=$own/work" overlay "$own/root"
cd "$own/root"
mount -t proc proc proc
mount --bind proc/sys proc/sys
mount -o remount,bind,ro proc/sys
mount -t sysfs -o ro sysfs sys
mount -t tmpfs -o mode=755 tmpfs dev
for node in null zero full random urandom tty; do : > "dev/$node"; mount --bind "/dev/$node" "dev/$node"; done
mkdir dev/pts dev/shm
mount -t devpts -o newinstance,ptmxmode=0666,mode=0620,gid=5 devpts dev/pts
ln -s pts/ptmx dev/ptmx
ln -s /proc/self/fd dev/fd
mount -t tmpfs -o mode=755 tmpfs run
mount -t tmpfs -o mode=1777 tmpfs tmp
# As this machine has them: one tree, or systemd's beside the others.
if [ "$(stat -f -c %T /sys/fs/cgroup)" = cgroup2fs ]; then
  mount -t cgroup2 cgroup2 sys/fs/cgroup
else
  mount -t tmpfs -o mode=755 tmpfs sys/fs/cgroup
  mkdir sys/fs/cgroup/systemd
  mount -t cgroup -o none,name=systemd cgroup sys/fs/cgroup/systemd
fi
# Its network is its own; nothing but itself is in it.
PATH="$PATH:/usr/sbin:/sbin" ip link set lo up
hostname "$name"
echo "$name" > etc/hostname
printf '127.0.0.1 localhost\n%s %s\n' "$address" "$name" > etc/hosts
mkdir -p old usr/local/libexec
cp "$own/tempestas-host" usr/local/libexec/.new
chmod 755 usr/local/libexec/.new
mv usr/local/libexec/.new usr/local/libexec/tempestas-host
cp "$own/provision.sh" run/provision.sh
pivot_root . old
cd /
umount -l /old
rmdir /old
export PATH=/usr/sbin:/usr/bin:/sbin:/bin
if [ ! -f /etc/provisioned ]; then
  rm -f /etc/ssh/ssh_host_*
  ssh-keygen -q -t ed25519 -N '' -f /etc/ssh/ssh_host_ed25519_key
  for unit in ssh.service ssh.socket getty.target console-getty.service systemd-udevd.service systemd-networkd.service \
    systemd-timesyncd.service systemd-resolved.service apt-daily.timer apt-daily-upgrade.timer; do
    ln -sf /dev/null "/etc/systemd/system/$unit"
  done
  sh -eu /run/provision.sh
  : > /etc/provisioned
fi
cat > /etc/systemd/system/lab-sshd.service <<END
[Service]
RuntimeDirectory=sshd
ExecStart=/usr/sbin/sshd -D -e -h /etc/ssh/ssh_host_ed25519_key -o ListenAddress=$address:$port
ExecReload=/bin/kill -HUP \$MAINPID
KillMode=process
END
mkdir -p /etc/systemd/system/multi-user.target.wants
ln -sf ../lab-sshd.service /etc/systemd/system/multi-user.target.wants/lab-sshd.service
exec env -i PATH="$PATH" container=lab setpriv --bounding-set=-sys_time,-sys_module,-sys_boot,-sys_rawio,-mknod \
  --inh-caps=-sys_time,-sys_module,-sys_boot,-sys_rawio,-mknod /lib/systemd/systemd --system --log-target=journal
