package storage

import "unsafe"

// unsafeSlice sees memory that the system handed out as bytes; it lies outside Go's heap.
func unsafeSlice(p uintptr, n int) []byte {
	return unsafe.Slice((*byte)(*(*unsafe.Pointer)(unsafe.Pointer(&p))), n)
}
