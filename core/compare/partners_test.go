package compare

import (
	"reflect"
	"testing"
	"time"
)

func TestPartnersAreCountedByPlaceAndFirmware(t *testing.T) {
	day := func(d int) time.Time { return time.Date(2026, 11, d, 0, 0, 0, 0, time.UTC) }
	got := Partners([]Fact{
		{Part: "hub", Partner: "b", Place: "left", Works: true, How: "USB 10 Gbit/s", At: day(3)},
		{Part: "hub", Partner: "b", Place: "left", Works: true, How: "USB 5 Gbit/s", At: day(5)},
		{Part: "hub", Partner: "b", Place: "left", Works: true, How: "USB 10 Gbit/s", At: day(4)},
		{Part: "hub", Partner: "b", Place: "left", Firmware: "2", How: "not seen", At: day(6)},
		{Part: "hub", Partner: "a", Works: true, At: day(1)},
		{Part: "hub", Partner: "a", How: "fell off", At: day(2)},
		{Part: "drive", Partner: "z", Works: true, At: day(1)},
	})
	want := []Pair{
		{Part: "drive", Partner: "z", Outcome: "works", Works: 1, How: []string{}, Last: day(1)},
		{Part: "hub", Partner: "a", Outcome: "both", Works: 1, Fails: 1, How: []string{"fell off"}, Last: day(2)},
		{Part: "hub", Partner: "b", Place: "left", Outcome: "works", Works: 3, How: []string{"USB 10 Gbit/s", "USB 5 Gbit/s"},
			Last: day(5)},
		{Part: "hub", Partner: "b", Place: "left", Firmware: "2", Outcome: "fails", Fails: 1, How: []string{"not seen"},
			Last: day(6)},
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if none := Partners(nil); none == nil || len(none) != 0 {
		t.Errorf("%v", none)
	}
}
