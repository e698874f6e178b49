package simulate

import (
	"math"
	"math/rand/v2"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
)

// body is the physical state of a simulated machine: two masses that take up heat (chip and case), a fan that
// follows the chip, a battery, a drive that warms and fills. All in SI units, °C and watts.
type body struct {
	limit, short float64 // power limits, long and short
	budget       float64 // running mean of the power, which the long limit holds down
	top          float64 // highest clock in GHz
	idle         float64 // package power at rest
	hottest      float64 // temperature limit
	fans         float64
	inner, outer float64 // thermal resistance, chip to case and case to room, K/W at rest
	ambient      float64
	die, shell   float64 // temperatures of chip and case
	fan          float64 // 1/min
	clock        float64 // GHz, of the cores at work
	power        float64
	throttle     float64 // 1 free, less where heat holds the clock down
	throttled    int     // times that it began to
	battery      float64 // Wh left; 0 for none
	energy       float64 // Wh when full
	drive        float64 // temperature of the drive
	memory       float64 // MiB in use
	rest         float64 // watts that the rest of the machine draws from the battery
}

// restUsual is what the rest of a machine draws.
const restUsual = 5.5

// tau are the time constants in seconds: chip, case, fan, drive, and the short power limit's.
const tauDie, tauShell, tauFan, tauDrive, tauBudget = 4, 180, 6, 90, 28

func (m *Machine) hardware() map[string]any {
	if m.HostSpec != nil {
		return m.HostSpec
	}
	return m.Spec
}

// body makes or gives the machine's physical state.
func (m *Machine) physical() *body {
	if m.state != nil {
		return m.state
	}
	number := func(key string, usual float64) float64 {
		if v, ok := catalog.SpecNumber(m.hardware(), key); ok && v > 0 {
			return v
		}
		return usual
	}
	fans, _ := catalog.SpecNumber(m.hardware(), "cooling.fans")
	b := &body{limit: number("cpu.power_limit", 15), top: number("cpu.boost_clock", 3), fans: fans, ambient: 22.5,
		hottest: 97, throttle: 1, rest: restUsual}
	b.idle = 1.2 + 0.04*b.limit
	b.short = 1.5 * b.limit
	b.inner, b.outer = 22/b.limit, 48/b.limit
	if fans == 0 {
		b.inner, b.outer, b.hottest = 16/b.limit, 42/b.limit, 80
	}
	if e, ok := catalog.SpecNumber(m.hardware(), "battery.energy"); ok {
		b.energy, b.battery = e, e
	}
	b.memory = 1024 * (0.9 + 0.05*number("memory.size", 8))
	for _, f := range m.Faults {
		switch f.Kind {
		case WarmRoom:
			b.ambient += or(f.Size, 9)
		case Throttling:
			b.hottest -= or(f.Size, 28)
		}
	}
	b.die, b.shell, b.drive = b.ambient+8, b.ambient+5, b.ambient+9
	m.state = b
	return b
}

func or(v, usual float64) float64 {
	if v != 0 {
		return v
	}
	return usual
}

// load is what a run asks of the machine: shares from 0 to 1, and how high the clock is held by what the
// test itself is about (1, or less once a lasting load has used up its burst).
type load struct {
	cores, drive float64
	rel          float64
	power        float64 // watts that the test's own course asks for; 0 leaves it to the limits
}

// loadOf says what a test asks for at a share of its length; measure is the part that is under way.
func loadOf(t method.Test, measure string) load {
	l := load{rel: 1}
	switch {
	case strings.Contains(measure, "single"):
		l.cores = 0.12
	case strings.HasSuffix(t.Slug, "-sustained") && t.Group != "storage":
		l.cores = 1
	case t.Group == "storage":
		l.cores, l.drive = 0.05, 0.97
	case t.Group == "memory", t.Group == "response":
		l.cores = 0.55
	case t.Group == "graphics":
		l.cores = 0.6 // the graphics chip draws from the same power limit
	case t.Group == "network", t.Group == "display":
		l.cores = 0.08
	case t.Group == "application":
		l.cores, l.drive = 0.6, 0.2
	default:
		l.cores = 1
	}
	return l
}

// step lets dt seconds pass under a load.
func (b *body) step(dt float64, l load, conditions map[string]string) {
	long, short := b.limit, b.short
	switch conditions["power.mode"] {
	case "fast":
		long, short = 1.25*long, 1.25*short
	case "quiet":
		long, short = 0.6*long, 0.8*b.limit
	}
	onBattery := conditions["supply"] == "battery"
	if onBattery {
		long, short = 0.8*long, 0.8*short
	}
	allowed := long
	if b.budget < 0.97*long {
		allowed = short
	}
	wanted := b.idle + l.cores*1.9*b.limit // what all cores at full clock would draw
	ratio := 1.0
	if room := allowed - b.idle; wanted-b.idle > room {
		ratio = math.Cbrt(room / (wanted - b.idle))
	}
	ratio = math.Min(ratio, l.rel)
	if l.power > 0 {
		ratio = math.Cbrt(math.Min(1, (l.power-b.idle)/(wanted-b.idle)))
	}
	// Heat: the clock is taken back as the limit comes near, and given again when there is room.
	was := b.throttle
	if b.die > b.hottest-1 {
		b.throttle = math.Max(0.35, b.throttle-0.01*dt*(1+b.die-b.hottest+1))
	} else if b.die < b.hottest-3 {
		b.throttle = math.Min(1, b.throttle+0.01*dt)
	}
	if was == 1 && b.throttle < 1 {
		b.throttled++
	}
	ratio *= b.throttle
	b.clock = b.top * ratio
	if l.cores < 0.02 {
		b.clock = b.top * 0.32
	}
	b.power = b.idle + (wanted-b.idle)*ratio*ratio*ratio
	b.budget += (b.power - b.budget) * math.Min(1, dt/tauBudget)
	outer := b.outer
	if b.fans > 0 {
		target := math.Max(0, math.Min(1, (b.die-48)/38)) * 4600
		b.fan += (target - b.fan) * math.Min(1, dt/tauFan)
		outer /= 1 + b.fan/3400
	}
	b.die += (b.shell + b.power*b.inner - b.die) * math.Min(1, dt/tauDie)
	b.shell += (b.ambient + b.power*outer - b.shell) * math.Min(1, dt/tauShell)
	b.drive += (b.ambient + 9 + 34*l.drive - b.drive) * math.Min(1, dt/tauDrive)
	if onBattery && b.energy > 0 {
		b.battery = math.Max(0, b.battery-(b.power+b.rest)*dt/3600)
	} else if b.energy > 0 {
		b.battery = math.Min(b.energy, b.battery+0.6*b.energy*dt/3600)
	}
}

// noise is the sound level in dB(A) half a metre away: the room's and the fan's, added by energy.
func (b *body) noise() float64 {
	room, fan := 21.0, 0.0
	if b.fan > 400 {
		fan = 24 + 48*math.Log10(b.fan/2000)
	}
	return 10 * math.Log10(math.Pow(10, room/10)+math.Pow(10, fan/10))
}

// channels are what the sensors say: each with a little of its own noise, those that the kind of machine has.
func (b *body) channels(l load, rng *rand.Rand, rate map[string]float64) map[string]float64 {
	jitter := func(v, share float64) float64 { return v * (1 + share*rng.NormFloat64()) }
	out := map[string]float64{
		"temperature.package": b.die + 0.4*rng.NormFloat64(), "temperature.drive": math.Round(b.drive),
		"temperature.ambient": b.ambient + 0.05*rng.NormFloat64(),
		"power.package":       math.Max(0.2, jitter(b.power, 0.02)), "clock.mean": jitter(1000*b.clock, 0.004),
		"load.processor": math.Min(100, math.Max(0.4, jitter(100*l.cores, 0.008))), "load.drive": math.Min(100,
			jitter(100*l.drive, 0.02)),
		"memory.used": jitter(b.memory*(1+0.4*l.cores), 0.002),
	}
	out["load.busiest"] = math.Min(100, math.Max(out["load.processor"], 100*math.Min(1, 8*l.cores)))
	out["clock.highest"] = math.Max(out["clock.mean"], jitter(1000*math.Min(b.top, b.clock*1.06), 0.002))
	if b.fans > 0 {
		out["fan.speed"] = math.Round(jitter(b.fan, 0.01))
		out["noise"] = b.noise() + 0.2*rng.NormFloat64()
	}
	if b.energy > 0 {
		out["battery.charge"] = 100 * b.battery / b.energy
	}
	for k, v := range rate {
		out[k] = v
	}
	return out
}
