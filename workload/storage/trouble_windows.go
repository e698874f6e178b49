package storage

import "golang.org/x/sys/windows"

var (
	full     = []error{windows.ERROR_DISK_FULL, windows.ERROR_HANDLE_DISK_FULL}
	vanished = []error{windows.ERROR_DEVICE_NOT_CONNECTED, windows.ERROR_NOT_READY, windows.ERROR_IO_DEVICE,
		windows.ERROR_DEV_NOT_EXIST, windows.ERROR_NO_SUCH_DEVICE, windows.ERROR_GEN_FAILURE}
	locked = []error{windows.ERROR_WRITE_PROTECT, windows.ERROR_ACCESS_DENIED}
)
