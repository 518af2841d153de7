#!/bin/sh
# Becomes one host: a root file system of its own over the shared one, then sshd as its first process.
# init.sh LOWER DIRECTORY NAME ADDRESS PORT
set -eu
lower=$1 own=$2 name=$3 address=$4 port=$5
mkdir -p "$own/upper" "$own/work" "$own/root"
mount -t overlay -o "lowerdir=$lower,upperdir=$own/upper,workdir=$own/work" overlay "$own/root"
cd "$own/root"
mount -t proc proc proc
mount -t tmpfs -o mode=755 tmpfs dev
for node in null zero full random urandom tty; do : > "dev/$node"; mount --bind "/dev/$node" "dev/$node"; done
mkdir dev/pts dev/shm
mount -t devpts -o newinstance,ptmxmode=0666,mode=0620,gid=5 devpts dev/pts
ln -s pts/ptmx dev/ptmx
ln -s /proc/self/fd dev/fd
mount -t tmpfs -o mode=755 tmpfs run
mount -t tmpfs -o mode=1777 tmpfs tmp
# Its network is its own; nothing but itself is in it.
PATH="$PATH:/usr/sbin:/sbin" ip link set lo up
hostname "$name"
echo "$name" > etc/hostname
printf '127.0.0.1 localhost\n%s %s\n' "$address" "$name" > etc/hosts
mkdir -p old run/sshd usr/local/libexec
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
  sh -eu /run/provision.sh
  : > /etc/provisioned
fi
# The system's log, as far as a host without a kernel of its own has one.
printf 'module(load="imuxsock")\nauth,authpriv.* /var/log/auth.log\n' > /etc/rsyslog.conf
exec env -i PATH="$PATH" /bin/sh -c "rsyslogd; cron; exec /usr/sbin/sshd -D -h /etc/ssh/ssh_host_ed25519_key -o ListenAddress=$address:$port"
