#!/bin/sh
set -e
# "remove" of a .deb, no version left of an .rpm; the desk itself stays
if [ "$1" = remove ] || [ "$1" = 0 ]; then
	if [ -d /run/systemd/system ]; then
		systemctl disable --now durvek.service
	fi
fi
