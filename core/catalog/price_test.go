package catalog

import (
	"errors"
	"slices"
	"strings"
	"testing"
)

// What nobody said of an offer leaves no gap in what is said of it.
func TestAnOfferSaysWhatIsKnownOfIt(t *testing.T) {
	for want, o := range map[string]Offer{
		"Quay, DE, seen on 2026-11-01": {Seller: "Quay", Region: "DE"},
		"Quay, seen on 2026-11-01":     {Seller: "Quay"},
		"DE, seen on 2026-11-01":       {Region: "DE"},
		"seen on 2026-11-01":           {},
	} {
		o.Amount, o.Currency, o.Condition, o.TaxIncluded, o.Date = 100, "EUR", "new", true, "2026-11-01"
		p, ok, err := Pricing{Currency: "EUR", Day: "2026-11-02"}.Price([]Offer{o}, nil)
		if err != nil || !ok || len(p.Notes) == 0 || p.Notes[0] != want {
			t.Errorf("%+v, %v, %v", p.Notes, ok, err)
		}
	}
}

func TestPriceTakesTheCheapestOfTheNewest(t *testing.T) {
	offer := func(amount int64, code, seller, date string) Offer {
		return Offer{Amount: amount, Currency: code, Region: "DE", TaxIncluded: true, Condition: "new", Seller: seller,
			Date: date}
	}
	list := offer(99900, "EUR", "maker", "2026-10-01")
	list.List = true
	untaxed := offer(100, "EUR", "Wholesale", "2026-11-01")
	untaxed.TaxIncluded = false
	used := offer(200, "EUR", "Attic", "2026-11-01")
	used.Condition = "used"
	coupon := offer(80000, "EUR", "Bellbuoy", "2026-11-02")
	coupon.Voucher, coupon.Contents = &Voucher{"MARRAM", 5000}, []string{"sleeve", "supply"}
	rates := Rates{{From: "EUR", To: "SEK", Rate: 11, Date: "2026-10-01"}, {From: "EUR", To: "SEK", Rate: 12,
		Date: "2026-11-01"}, {From: "GBP", To: "EUR", Rate: 1.2, Date: "2026-11-01"}}
	for _, c := range []struct {
		name   string
		how    Pricing
		offers []Offer
		want   int64
		says   string
	}{
		{"the newest of one seller", Pricing{}, []Offer{offer(90000, "EUR", "Quay", "2026-11-01"), offer(70000, "EUR", "Quay",
			"2026-09-01")}, 90000, "Quay"},
		{"the cheapest seller", Pricing{}, []Offer{offer(90000, "EUR", "Quay", "2026-11-01"), offer(85000, "EUR", "Buoy",
			"2026-10-20")}, 85000, "Buoy"},
		{"not one that is long gone", Pricing{}, []Offer{offer(90000, "EUR", "Quay", "2026-11-01"), offer(60000, "EUR",
			"Buoy", "2026-01-20")}, 90000, "Quay"},
		{"list price only if alone", Pricing{}, []Offer{list}, 99900, "list price"},
		{"a street price before the list", Pricing{}, []Offer{list, offer(120000, "EUR", "Quay", "2026-11-01")}, 120000,
			"Quay"},
		{"tax and state count", Pricing{}, []Offer{untaxed, used, offer(90000, "EUR", "Quay", "2026-11-01")}, 90000, "Quay"},
		{"after the voucher", Pricing{}, []Offer{coupon}, 80000, "without it 850.00 EUR"},
		{"before the voucher", Pricing{NoVoucher: true}, []Offer{coupon}, 85000, "without the voucher MARRAM"},
		{"in another currency, at the rate of the day", Pricing{Currency: "SEK"}, []Offer{offer(10000, "EUR", "Quay",
			"2026-10-15")}, 110000, "100.00 EUR at 11 SEK of 2026-10-01"},
		{"at the rate of a later day", Pricing{Currency: "SEK", Day: "2026-11-20"}, []Offer{offer(10000, "EUR", "Quay",
			"2026-10-15")}, 120000, "at 12 SEK"},
		{"by the inverse", Pricing{Currency: "GBP"}, []Offer{offer(12000, "EUR", "Quay", "2026-11-15")}, 10000, "GBP"},
	} {
		p, ok, err := c.how.Price(c.offers, rates)
		if err != nil || !ok || p.Amount != c.want || !strings.Contains(strings.Join(p.Notes, "; "), c.says) {
			t.Errorf("%s: %d %q (%v, %v), want %d with %q", c.name, p.Amount, p.Notes, ok, err, c.want, c.says)
		}
	}
	if _, ok, err := (Pricing{Currency: "NOK"}).Price([]Offer{offer(1, "EUR", "Quay", "2026-11-01")}, rates); ok ||
		!errors.Is(err, ErrRate) || !strings.Contains(err.Error(), "from EUR to NOK on or before") {
		t.Errorf("without a rate: %v, %v", ok, err)
	}
	if _, ok, err := (Pricing{}).Price([]Offer{used}, nil); ok || err != nil {
		t.Errorf("without a fitting offer: %v, %v", ok, err)
	}
	if s, ok := SpanOf([]Price{{Amount: 3}, {Amount: 1}, {Amount: 2}}); !ok || s.From.Amount != 1 || s.To.Amount != 3 {
		t.Errorf("span %v", s)
	}
}

func TestRatesAreChecked(t *testing.T) {
	for _, r := range []Rate{{"EUR", "EUR", 1, "2026-01-01", ""}, {"EUR", "x", 1, "2026-01-01", ""}, {"EUR", "SEK", 0,
		"2026-01-01", ""}, {"EUR", "SEK", 11, "soon", ""}} {
		if len(r.Check()) == 0 {
			t.Errorf("%+v passed", r)
		}
	}
	if p := (Rate{"EUR", "SEK", 11.4, "2026-11-01", ""}).Check(); len(p) > 0 {
		t.Errorf("a good rate is refused: %v", p)
	}
}

// A price in the wanted currency stands before a cheaper one that is converted; what was bought used, without tax or
// for nothing counts where anything does.
func TestTheWantedCurrencyFirstAndAnyPriceOfAPart(t *testing.T) {
	rates := Rates{{From: "USD", To: "EUR", Rate: 0.9, Date: "2026-10-01"}}
	offer := func(amount int64, currency, seller string) Offer {
		return Offer{Amount: amount, Currency: currency, Seller: seller, Region: "DE", TaxIncluded: true, Condition: "new",
			Date: "2026-11-01"}
	}
	list := []Offer{offer(50000, "USD", "Far"), offer(60000, "EUR", "Near"), offer(61000, "EUR", "Dear")}
	for i := range 3 { // in any order
		list = append(list[1:], list[0])
		if p, ok, err := (Pricing{Currency: "EUR"}).Price(list, rates); err != nil || !ok || p.Amount != 60000 ||
			p.Rate != nil {
			t.Errorf("order %d: %+v, %v, %v", i, p, ok, err)
		}
	}
	if p, ok, _ := (Pricing{Currency: "EUR"}).Price(list[2:3], rates); !ok || p.Offer.Seller != "Far" && p.Rate != nil {
		t.Errorf("%+v", p)
	}
	used := Offer{Amount: 0, Currency: "EUR", Seller: "Came with it", Region: "DE", Condition: "used", Date: "2026-11-01"}
	if _, ok, _ := (Pricing{Currency: "EUR"}).Price([]Offer{used}, nil); ok {
		t.Error("a used thing without tax has a price as new")
	}
	p, ok, err := (Pricing{Currency: "EUR", Any: true}).Price([]Offer{used}, nil)
	if err != nil || !ok || p.Amount != 0 || !slices.Contains(p.Notes, "used") || !slices.Contains(p.Notes,
		"without tax") {
		t.Errorf("%+v, %v, %v", p, ok, err)
	}
}
