// Package pages asks the system for large pages under big buffers: rates then depend less on how the
// memory happened to be handed out. It is a wish; a system that has no large pages ignores it.
package pages

import "unsafe"

// Large is the size that large pages have on common systems, in bytes.
const Large = 2 << 20

// Prefer asks for large pages under the whole ones that lie inside a buffer. Ask before touching it.
func Prefer[T any](buffer []T) {
	size := len(buffer) * int(unsafe.Sizeof(*new(T)))
	b := unsafe.Slice((*byte)(unsafe.Pointer(unsafe.SliceData(buffer))), size)
	skip := (Large - int(uintptr(unsafe.Pointer(unsafe.SliceData(b)))%Large)) % Large
	if whole := (size - skip) / Large * Large; whole > 0 {
		prefer(b[skip : skip+whole])
	}
}
