//go:build unix

package storage

import "golang.org/x/sys/unix"

var (
	full     = []error{unix.ENOSPC, unix.EDQUOT, unix.EFBIG}
	vanished = []error{unix.EIO, unix.ENODEV, unix.ENXIO, unix.ESTALE, unix.ENOTCONN, unix.EHOSTDOWN}
	locked   = []error{unix.EROFS, unix.EACCES, unix.EPERM}
)
