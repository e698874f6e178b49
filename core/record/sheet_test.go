package record

import (
	"fmt"
	"testing"
)

// A machine fills of a spec sheet what it tells; memory is said in whole GiB, as it is sold.
func TestTheSheetOfAMachine(t *testing.T) {
	for _, c := range []struct {
		m    Machine
		want string
	}{
		{Machine{}, "map[]"},
		{Machine{Processor: " Skarn 7 ", System: "Strand OS 9", Cores: 8, Threads: 16, Memory: 156 << 30 / 10,
			Facts: map[string]string{"screen.pixels": "1920x1080"}},
			"map[cpu.cores:8 cpu.name:Skarn 7 cpu.threads:16 display.resolution:1920x1080 memory.size:16 GiB " +
				"system.name:Strand OS 9]"},
		{Machine{Processor: " ", Cores: 1, Memory: 1<<29 - 1}, "map[cpu.cores:1]"},
		{Machine{Memory: 1 << 29}, "map[memory.size:1 GiB]"},
	} {
		if got := fmt.Sprint(c.m.Sheet()); got != c.want {
			t.Errorf("%+v: %s, want %s", c.m, got, c.want)
		}
	}
}
