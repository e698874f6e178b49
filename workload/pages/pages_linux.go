package pages

import "golang.org/x/sys/unix"

func prefer(b []byte) { unix.Madvise(b, unix.MADV_HUGEPAGE) }
