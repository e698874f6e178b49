package catalog

import (
	"cmp"
	"durvek/core/quantity"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"
)

// Rate is an exchange rate that the desk wrote down: on Date, one From was worth Rate To.
type Rate struct {
	From   string  `json:"from" pattern:"^[A-Z]{3}$" patternDescription:"three capital letters, such as EUR" doc:"ISO 4217"`
	To     string  `json:"to" pattern:"^[A-Z]{3}$" patternDescription:"three capital letters, such as EUR" doc:"ISO 4217"`
	Rate   float64 `json:"rate" doc:"What one unit of From is worth in To"`
	Date   string  `json:"date" doc:"YYYY-MM-DD"`
	Source string  `json:"source,omitempty"`
}

// Check returns what is wrong with a rate.
func (r Rate) Check() []Problem {
	var out []Problem
	for _, c := range []struct{ key, code string }{{"from", r.From}, {"to", r.To}} {
		if !currency.MatchString(c.code) {
			out = append(out, Problem{[]any{c.key}, fmt.Sprintf("%q is not an ISO 4217 code such as EUR", c.code)})
		}
	}
	if r.From == r.To && r.From != "" {
		out = append(out, Problem{[]any{"to"}, "a rate is between two currencies"})
	}
	if !(r.Rate > quantity.Smallest) || !quantity.Sound(r.Rate) {
		out = append(out, Problem{[]any{"rate"}, "the rate must be above zero"})
	}
	if s := checkDate(r.Date, false); s != "" {
		out = append(out, Problem{[]any{"date"}, s})
	}
	return out
}

// ErrRate marks a price that no rate on record can convert.
var ErrRate = errors.New("no exchange rate")

// Rates are all rates on record.
type Rates []Rate

// Find gives the newest rate between two currencies on or before a day: as it was written down, or its inverse. It
// returns ErrRate.
func (rs Rates) Find(from, to, day string) (Rate, error) {
	best := Rate{}
	for _, r := range rs {
		if r.From == to && r.To == from {
			r.From, r.To, r.Rate = from, to, 1/r.Rate
		}
		if r.From == from && r.To == to && r.Date <= day && r.Date >= best.Date {
			best = r
		}
	}
	if best.Rate == 0 {
		return best, fmt.Errorf("%w from %s to %s on or before %s; add one of that day or an earlier one", ErrRate, from, to,
			day)
	}
	return best, nil
}

// Pricing says which offers make a price. The zero value takes new ones, tax included, of all regions.
type Pricing struct {
	Currency  string // of the answer; "" takes the offer's own, which serves where all offers are in one
	Region    string // "" takes all
	Condition string // "" means new
	Day       string // newest day that counts, and the day of the rates; "" takes all and each offer's own day
	NoVoucher bool   // prices as they are without a voucher
	Any       bool   // used and refurbished ones and those without tax, too
}

// Where says who sold it in which region, as far as that is known, and when: "Quayside, DE, 2026-11-16".
func (o Offer) Where(when string) string {
	return strings.Join(slices.DeleteFunc([]string{o.Seller, o.Region, when}, func(s string) bool { return s == "" }),
		", ")
}

// Price is what a variant costs: the cheapest among each seller's newest offers of one day range.
type Price struct {
	Amount   int64    `json:"amount" doc:"Minor units"`
	Currency string   `json:"currency"`
	Text     string   `json:"text"`
	Offer    Offer    `json:"offer"`
	Rate     *Rate    `json:"rate,omitempty" doc:"The exchange rate that was used"`
	Notes    []string `json:"notes,omitempty" doc:"Voucher, age, list price, what is in the box"`
}

// Value is the price in units of the currency.
func (p Price) Value() float64 { return float64(p.Amount) / math.Pow10(MinorDigits(p.Currency)) }

// newestDays is how much older than the newest offer another may be to count beside it.
const newestDays = 90

// Price finds what the offers of a variant say that it costs. A list price counts only where nobody sells it for
// another, and a price in another currency only where there is none in the one that is wanted. ok is false without a
// fitting offer; the error is ErrRate where one fits and cannot be converted.
func (how Pricing) Price(offers []Offer, rates Rates) (best Price, ok bool, err error) {
	newest := map[string]Offer{} // by seller
	street, last := false, ""
	for _, o := range offers {
		if !how.Any && (!o.TaxIncluded || o.Condition != cmp.Or(how.Condition, "new")) || how.Region != "" &&
			o.Region != how.Region ||
			how.Day != "" && o.Date > how.Day {
			continue
		}
		if k := o.Seller; newest[k].Seller == "" || newest[k].Date < o.Date || newest[k].Date == o.Date &&
			o.Amount < newest[k].Amount {
			newest[k] = o
		}
		street, last = street || !o.List, max(last, o.Date)
	}
	for _, o := range newest {
		if street && o.List || age(o.Date, last) > newestDays {
			continue
		}
		p := Price{Amount: o.Amount, Currency: o.Currency, Offer: o}
		if o.Voucher != nil && how.NoVoucher {
			p.Amount += o.Voucher.Amount
		}
		if how.Currency != "" && how.Currency != o.Currency {
			r, e := rates.Find(o.Currency, how.Currency, cmp.Or(how.Day, o.Date))
			if e != nil {
				err = e
				continue
			}
			p.Rate, p.Currency = &r, how.Currency
			p.Amount = int64(math.Round(float64(p.Amount) / math.Pow10(MinorDigits(o.Currency)) * r.Rate * math.Pow10(
				MinorDigits(how.Currency))))
		}
		converted, was := p.Rate != nil, best.Rate != nil
		if !ok || was && !converted || was == converted && (p.Amount < best.Amount || p.Amount == best.Amount &&
			p.Offer.Seller < best.Offer.Seller) {
			best, ok = p, true
		}
	}
	if !ok {
		return best, false, err
	}
	o := best.Offer
	best.Text = Money(best.Amount, best.Currency)
	best.Notes = append(best.Notes, o.Where("seen on "+o.Date))
	switch {
	case o.List:
		best.Notes = append(best.Notes, "the maker's list price; nobody was seen to sell it for another")
	case o.Voucher != nil && how.NoVoucher:
		best.Notes = append(best.Notes, "without the voucher "+o.Voucher.Code)
	case o.Voucher != nil:
		best.Notes = append(best.Notes, fmt.Sprintf("with the voucher %s; without it %s", o.Voucher.Code,
			Money(o.Amount+o.Voucher.Amount, o.Currency)))
	}
	if o.Condition != "new" {
		best.Notes = append(best.Notes, o.Condition)
	}
	if !o.TaxIncluded {
		best.Notes = append(best.Notes, "without tax")
	}
	if best.Rate != nil {
		best.Notes = append(best.Notes, fmt.Sprintf("%s at %.4g %s of %s", Money(o.Amount, o.Currency), best.Rate.Rate,
			best.Rate.To, best.Rate.Date))
	}
	if len(o.Contents) > 0 {
		best.Notes = append(best.Notes, fmt.Sprintf("with %s", join(o.Contents)))
	}
	return best, true, nil
}

// Span is the cheapest and the dearest of a model's variants.
type Span struct {
	From Price `json:"from"`
	To   Price `json:"to"`
}

// SpanOf is the price span of several variants; ok is false if none has a price.
func SpanOf(prices []Price) (s Span, ok bool) {
	if len(prices) == 0 {
		return s, false
	}
	by := func(a, b Price) int { return cmp.Compare(a.Amount, b.Amount) }
	return Span{slices.MinFunc(prices, by), slices.MaxFunc(prices, by)}, true
}

func age(day, newest string) int {
	a, err := time.Parse(time.DateOnly, day)
	b, err2 := time.Parse(time.DateOnly, newest)
	if err != nil || err2 != nil {
		return 0
	}
	return int(b.Sub(a).Hours() / 24)
}

func join(list []string) string {
	switch n := len(list); n {
	case 0:
		return ""
	case 1:
		return list[0]
	default:
		s := ""
		for i, x := range list[:n-1] {
			if i > 0 {
				s += ", "
			}
			s += x
		}
		return s + " and " + list[n-1]
	}
}
