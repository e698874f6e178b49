package cli

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"durvek/core/quantity"
	"durvek/desk"
	"durvek/document"
	"durvek/instrument"
)

// definition reads the description of an instrument.
func (a *app) definition(name string) (d instrument.Definition, err error) {
	data, err := a.readFile(name)
	if err != nil {
		return d, err
	}
	file, err := document.Read("instrument", data)
	if err == nil {
		err = file.Decode(desk.Schema("instrument"), &d)
	}
	if err != nil {
		return d, err
	}
	if bad := d.Check(); len(bad) > 0 {
		return d, fmt.Errorf("%s: %s", name, strings.Join(bad, "; "))
	}
	for i, r := range d.Read {
		d.Read[i].Unit, _ = quantity.Code(r.Unit)
	}
	return d, nil
}

// instrumentCmd speaks with lab instruments from the computer that it runs on.
func (a *app) instrumentCmd() *cobra.Command {
	list := verb("list FILE…", "List descriptions of instruments, and which of them answer", "durvek instrument list "+
		"demo/instruments/*.yaml", -1, func(cmd *cobra.Command, args []string) error {
		var rows [][]any
		for _, name := range args {
			d, err := a.definition(name)
			if err != nil {
				return err
			}
			says := ""
			if s, err := instrument.Open(cmd.Context(), d); err != nil {
				says = "no"
			} else {
				says = s.ID
				s.Close()
			}
			var channels []string
			for _, r := range d.Read {
				channels = append(channels, r.Channel)
			}
			rows = append(rows, []any{d.Slug, d.Name, d.Address, strings.Join(channels, ", "), says})
		}
		a.print([]string{"Instrument", "Name", "Address", "Reads", "Answers"}, rows)
		return nil
	})
	identify := verb("identify FILE", "Ask an instrument who it is", "durvek instrument identify "+
		"demo/instruments/wall-meter.yaml", 1, func(cmd *cobra.Command, args []string) error {
		return a.speak(cmd, args[0], func(s *instrument.Session) error {
			a.say("%s", s.ID)
			return nil
		})
	})
	read := verb("read FILE", "Read an instrument once", "durvek instrument read demo/instruments/wall-meter.yaml", 1,
		func(cmd *cobra.Command, args []string) error {
			d, err := a.definition(args[0])
			if err != nil {
				return err
			}
			return a.speak(cmd, args[0], func(s *instrument.Session) error {
				x, err := s.Take()
				if err != nil {
					return err
				}
				values, rows := map[string]any{}, [][]any{}
				for i, r := range d.Read {
					says := "nothing that can be"
					if v := x.Values[i]; !math.IsNaN(v) {
						values[r.Channel], says = v, quantity.Format(v, r.Unit)
					} else {
						values[r.Channel] = nil
					}
					rows = append(rows, []any{r.Channel, says})
				}
				if a.json {
					return json.NewEncoder(a.out).Encode(values)
				}
				a.print([]string{"Channel", "→Value"}, rows)
				return nil
			})
		})
	return noun("instrument", "Lab instruments: SCPI over TCP, from the computer that this runs on", list, identify, read,
		a.recordCmd(), a.simulateCmd(), a.schema("instrument", "descriptions of instruments"))
}

// speak opens a line to an instrument.
func (a *app) speak(cmd *cobra.Command, file string, do func(*instrument.Session) error) error {
	d, err := a.definition(file)
	if err != nil {
		return err
	}
	s, err := instrument.Open(cmd.Context(), d)
	if err != nil {
		return errors.New(plainWords(err))
	}
	defer s.Close()
	return do(s)
}

func plainWords(err error) string {
	return strings.TrimPrefix(err.Error(), instrument.ErrInstrument.Error()+": ")
}

// recordCmd writes what an instrument shows into a file that can be taken in, or laid beside a run.
func (a *app) recordCmd() *cobra.Command {
	var seconds float64
	var output string
	c := verb("record FILE", "Record an instrument into a table: for `durvek intake`, or to lay beside a run with "+
		"`durvek run lay-log`", "durvek instrument record demo/instruments/wall-meter.yaml --seconds 2 -o wall.csv", 1,
		func(cmd *cobra.Command, args []string) error {
			d, err := a.definition(args[0])
			if err != nil {
				return err
			}
			if !(seconds > 0) {
				return usageError{errors.New("--seconds is above 0")}
			}
			out := io.Writer(a.out)
			if output != "" {
				f, err := os.OpenFile(output, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
				if err != nil {
					return fmt.Errorf("write %s: %w", output, err)
				}
				defer f.Close()
				out = f
			}
			w := csv.NewWriter(out)
			head := []string{"time"}
			for _, r := range d.Read {
				head = append(head, fmt.Sprintf("%s [%s]", r.Channel, quantity.Symbol(r.Unit)))
			}
			w.Write(head)
			got, err := instrument.Record(cmd.Context(), d, time.Duration(seconds*float64(time.Second)),
				func(s instrument.Sample) error {
					row := []string{s.At.UTC().Format("2006-01-02T15:04:05.000Z07:00")}
					for _, v := range s.Values {
						cell := ""
						if !math.IsNaN(v) {
							cell = strconv.FormatFloat(v, 'g', -1, 64)
						}
						row = append(row, cell)
					}
					w.Write(row)
					if w.Flush(); w.Error() != nil { // what was read stays if this is ended
						return w.Error()
					}
					return nil
				})
			if err != nil && !errors.Is(err, context.Canceled) {
				return errors.New(plainWords(err))
			}
			if output != "" {
				a.say("%d readings in %s; %d moments were missed, the line was lost %d times, %d values were none.", got.Samples,
					output, got.Missed, got.Lost, got.Empty)
			}
			return err
		})
	c.Flags().Float64Var(&seconds, "seconds", 60, "how long")
	c.Flags().StringVarP(&output, "output", "o", "", "file to write, which must be new; standard output if left out")
	return c
}

// simulateCmd serves a stand-in of an instrument, on this computer alone.
func (a *app) simulateCmd() *cobra.Command {
	var port int
	c := verb("simulate KIND", "Serve a simulated instrument on this computer: "+strings.Join(instrument.Names(), ", "),
		"durvek instrument simulate power-analyser --port 5025", 1, func(cmd *cobra.Command, args []string) error {
			kind, ok := instrument.Kinds[args[0]]
			if !ok {
				return usageError{fmt.Errorf("%q is no simulated instrument; there are %s", args[0],
					strings.Join(instrument.Names(), ", "))}
			}
			l, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
			if err != nil {
				return err
			}
			s := instrument.Simulate(l, kind, instrument.Faults{}, 1)
			defer s.Close()
			a.say("A simulated %s answers at %s until it is ended.", args[0], l.Addr())
			<-cmd.Context().Done()
			return cmd.Context().Err()
		})
	c.Flags().IntVar(&port, "port", 5025, "where it listens")
	return c
}
