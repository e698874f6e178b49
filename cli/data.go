package cli

import (
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"durvek/demo/load"
	"durvek/desk"
	"durvek/desk/house"
)

func (a *app) dataCmd() *cobra.Command {
	var l load.Size
	var seed uint64
	c := verb("generate", "Fill an empty data folder with made-up data of a size, to see how the service does with it",
		"durvek data generate --data /tmp/load --variants 5000 --tests 300 --readings 2000000", 0, func(cmd *cobra.Command,
			_ []string) error {
			dir := a.data
			if dir == "" {
				return usageError{fmt.Errorf("say with --data which empty folder is to be filled")}
			}
			d, err := house.Open(cmd.Context(), house.Options{Options: desk.Options{Dir: dir}})
			if err != nil {
				return err
			}
			defer d.Close()
			began := time.Now()
			told := began
			made, err := load.Generate(cmd.Context(), d.Desk, l, seed, func(done, of int) {
				if a.json || time.Since(told) < 5*time.Second || done == of {
					return
				}
				told = time.Now()
				a.say("%d of %d variants, %.0f s left", done, of, time.Since(began).Seconds()*float64(of-done)/float64(done))
			})
			var refused *desk.Error
			if err != nil && !errors.As(err, &refused) {
				return fmt.Errorf("%w; %s holds a part of it and must be removed before another try", err, dir)
			}
			if err != nil {
				return err
			}
			if err := d.Close(); err != nil {
				return err
			}
			again, err := house.Open(cmd.Context(), house.Options{Options: desk.Options{Dir: dir}})
			if err != nil {
				return err
			}
			again.Figures.Wait() // how noisy tests and machines are is found once, here, and kept
			if err := again.Close(); err != nil {
				return err
			}
			if a.json {
				return a.printJSON(made)
			}
			a.say("%d variants, %d tests, %d cells and %d readings are in %s after %.0f s. Start with `durvek serve --data %s`.",
				made.Variants, made.Tests, made.Cells, made.Readings, dir, time.Since(began).Seconds(), dir)
			return nil
		})
	f := c.Flags()
	f.IntVar(&l.Variants, "variants", 5000, "how many variants")
	f.IntVar(&l.Tests, "tests", 300, "how many tests, of four measures each")
	f.IntVar(&l.Readings, "readings", 2000000, "about how many readings")
	f.Uint64Var(&seed, "seed", 1, "the same seed makes the same figures")
	return noun("data", "Data folders", c)
}
