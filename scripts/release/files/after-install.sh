#!/bin/sh
set -e
if command -v systemd-sysusers >/dev/null; then
	systemd-sysusers durvek.conf
elif ! getent passwd durvek >/dev/null; then
	useradd --system --home-dir /var/lib/durvek --no-create-home --shell /usr/sbin/nologin durvek
fi
install -d -m 0700 -o durvek -g durvek /var/lib/durvek
if [ -d /run/systemd/system ]; then
	systemctl daemon-reload
	systemctl try-restart durvek.service
fi
