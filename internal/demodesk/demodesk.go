// Package demodesk gives tests a data folder with the demo's catalogue, bench and reviews, without this machine.
// Filling it takes a minute; test binaries that are told of a common folder share what the first of them filled.
package demodesk

import (
	"context"
	"fmt"
	"net"
	"os"
	"path/filepath"

	"durvek/client"
	"durvek/demo"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/service"
	"durvek/workload"
)

// Shared names the variable of the environment with the folder that test binaries share. What lies there is as old as
// it is: a folder is for one run of the tests, of one state of the code.
const Shared = "DURVEK_DEMO"

// Into fills a folder, which must not hold a desk yet.
func Into(ctx context.Context, dir string) error {
	common := os.Getenv(Shared)
	if common == "" {
		return fill(ctx, dir)
	}
	whole := filepath.Join(common, "demo")
	if _, err := os.Stat(whole); err == nil {
		return os.CopyFS(dir, os.DirFS(whole))
	}
	if err := fill(ctx, dir); err != nil {
		return err
	}
	mine, err := os.MkdirTemp(common, "filled-*")
	if err != nil {
		return err
	}
	part := filepath.Join(mine, "demo")
	if err := os.CopyFS(part, os.DirFS(dir)); err != nil {
		return err
	}
	if err := os.Rename(part, whole); err != nil && !os.IsExist(err) {
		return err
	}
	return os.RemoveAll(mine) // of what another binary put there meanwhile nothing is missing
}

// fill fills a folder through a service of its own.
func fill(ctx context.Context, dir string) (err error) {
	ctx, stop := context.WithCancel(ctx)
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: dir, Name: demo.DeskName},
		Tests: workload.Tests()})
	if err != nil {
		stop()
		return err
	}
	ended := make(chan error, 1)
	defer func() {
		stop()
		<-ended
		if closed := d.Close(); err == nil {
			err = closed
		}
	}()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		ended <- err
		return err
	}
	go func() { ended <- service.New(d, service.Options{}).Serve(ctx, l) }()
	token, err := d.Books.LocalToken(ctx)
	if err != nil {
		return err
	}
	c := client.New("http://"+l.Addr().String(), token)
	if err := demo.Fill(ctx, demo.Options{Client: c, Dir: dir}); err != nil {
		return fmt.Errorf("fill the demo: %w", err)
	}
	return nil
}
