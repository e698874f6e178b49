//go:build !linux

package pages

func prefer([]byte) {}
