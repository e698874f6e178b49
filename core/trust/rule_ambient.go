package trust

import "durvek/core/record"

func init() {
	register(Rule{
		Name: "ambient", Title: "Room outside its band", Severity: Caution, Proposal: "Bring the room into its band, let " +
			"the machine cool down, and repeat", Again: "cool",
		Sentence: "The room was warmer or colder than the setup or the plan allows.",
		Find: func(c Case, _ float64) []Found {
			var ev []Evidence
			for _, d := range Departures(c.Setup.Conditions, c.Run.Observed) {
				if d.Condition == "ambient" {
					ev = append(ev, Evidence{"room", d.B + ", planned " + d.A})
				}
			}
			for _, text := range told(c.Run, record.OutOfBand) {
				ev = append(ev, Evidence{"room", text})
			}
			if len(ev) == 0 {
				return nil
			}
			f := Found{Group: c.Run.Sitting, Sentence: "The room was not as planned: " + ev[0].Value + ".", Evidence: ev}
			if t := c.Trace.Column("temperature.ambient"); len(t) > 1 {
				f.Picture = course("Cel", c.Trace.Times, t)
			}
			return []Found{f}
		},
	})
}
