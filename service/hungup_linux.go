package service

import (
	"net"

	"golang.org/x/sys/unix"
)

// hungUp tells whether the other side of a connection closed it (RFC 9293, 3.3.2: everything from CLOSE-WAIT on, and
// CLOSED). A side that only says that it will send no more counts, as in net/http.
func hungUp(c *net.TCPConn) bool {
	const closed, closeWait, lastAck, closing = 7, 8, 9, 11
	raw, err := c.SyscallConn()
	if err != nil {
		return true
	}
	gone := false
	err = raw.Control(func(fd uintptr) {
		info, err := unix.GetsockoptTCPInfo(int(fd), unix.SOL_TCP, unix.TCP_INFO)
		if err != nil {
			return
		}
		switch info.State {
		case closed, closeWait, lastAck, closing:
			gone = true
		}
	})
	return gone || err != nil
}
