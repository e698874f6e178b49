package pages

import (
	"unsafe"

	"golang.org/x/sys/windows"
)

// Take gives memory outside Go's heap, of its own pages, and a function that gives it back.
func Take(n int) (buffer []byte, free func(), err error) {
	p, err := windows.VirtualAlloc(0, uintptr(n), windows.MEM_RESERVE|windows.MEM_COMMIT, windows.PAGE_READWRITE)
	if err != nil {
		return nil, nil, err
	}
	return unsafe.Slice((*byte)(*(*unsafe.Pointer)(unsafe.Pointer(&p))), n), func() {
		windows.VirtualFree(p, 0,
			windows.MEM_RELEASE)
	}, nil
}
