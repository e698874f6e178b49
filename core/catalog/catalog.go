// Package catalog holds what a desk knows about hardware before it measures anything: models,
// variants with their spec sheets, units on the desk, rigs, makers' claims and dated offers. It
// checks such entries and says what is wrong and where; it reads no file and stores nothing.
package catalog

import (
	"fmt"
	"slices"
	"strings"
)

// Kind is the kind of product.
type Kind string

// Kinds lists the kinds of product that a desk reviews, devices first, then parts.
var Kinds = []Kind{"laptop", "desktop", "mini-pc", "tablet", "phone", "drive", "processor", "board", "memory",
	"graphics-card", "enclosure", "hub", "dock", "display", "cooler", "supply", "case", "card", "console", "access-point"}

// KindNames gives each kind's name in the plural, for charts and lists.
var KindNames = map[Kind]string{
	"laptop": "laptops", "desktop": "desktops", "mini-pc": "mini PCs", "tablet": "tablets", "phone": "phones",
	"drive":     "drives",
	"processor": "processors", "board": "boards", "memory": "memory kits", "graphics-card": "graphics cards",
	"enclosure": "enclosures",
	"hub":       "hubs", "dock": "docks", "display": "displays", "cooler": "coolers", "supply": "power supplies",
	"case": "cases", "card": "expansion cards", "console": "consoles", "access-point": "access points",
}

// OwnKind is a kind of product that a desk added to the list.
type OwnKind struct {
	Kind   Kind   `json:"kind"`
	Plural string `json:"plural,omitempty" doc:"What many of them are called; made from the kind if left out"`
}

// Plural is what many products of a kind are called.
func (k Kind) Plural() string {
	if name := KindNames[k]; name != "" {
		return name
	}
	return strings.ReplaceAll(string(k), "-", " ") + "s"
}

// Check says what is wrong with a kind, or returns "": any short name will do, for a desk adds kinds of its own.
func (k Kind) Check() string {
	if slices.Contains(Kinds, k) {
		return ""
	}
	if k == "" {
		return "a kind is missing, such as laptop"
	}
	if lower := Kind(strings.ToLower(string(k))); slices.Contains(Kinds, lower) {
		return fmt.Sprintf("unknown kind %q: write %s", k, lower)
	}
	if why := CheckSlug(string(k)); why != "" {
		return fmt.Sprintf("unknown kind %q: %s", k, why)
	}
	return ""
}

// Model is a product as it is named and sold.
type Model struct {
	Slug       string  `json:"slug,omitempty" doc:"Readable identifier, lower case; made of the name if left out"`
	Maker      string  `json:"maker,omitempty"`
	Name       string  `json:"name,omitempty"`
	Kind       Kind    `json:"kind,omitempty"`
	Released   string  `json:"released,omitempty" doc:"Month of release, YYYY-MM"`
	Succeeds   string  `json:"succeeds,omitempty" doc:"Slug of the predecessor"`
	AlsoSoldAs []Alias `json:"also_sold_as,omitempty"`
	Notes      string  `json:"notes,omitempty"`
}

// FullName is maker and name.
func (m Model) FullName() string { return m.Maker + " " + m.Name }

// Alias is another name that the same hardware is sold under.
type Alias struct {
	Maker  string `json:"maker"`
	Name   string `json:"name"`
	Region string `json:"region,omitempty" doc:"ISO 3166-1 country code, or a word such as EU"`
}

// Variant is one exact configuration of a model. Spec maps keys of the spec vocabulary to what the
// sheet says: a number, a text, true or false, or a quantity such as "16 GiB".
type Variant struct {
	Slug  string         `json:"slug,omitempty" doc:"Made of model and name if left out"`
	Model string         `json:"model,omitempty"`
	Name  string         `json:"name,omitempty" doc:"What sets it apart from its siblings"`
	Spec  map[string]any `json:"spec,omitempty"`
	Notes string         `json:"notes,omitempty"`
}

// Unit is the physical sample on the desk.
type Unit struct {
	Slug     string `json:"slug,omitempty" doc:"Made of its variant if left out"`
	Title    string `json:"title,omitempty" readOnly:"true" doc:"What it is called: model, variant, and which one where there are several"`
	Variant  string `json:"variant,omitempty"`
	Origin   string `json:"origin,omitempty" enum:"bought,sent by maker,borrowed,own" doc:"Where the sample came from"`
	Serial   string `json:"serial,omitempty"`
	Received string `json:"received,omitempty" doc:"Date, YYYY-MM-DD"`
	State    string `json:"state,omitempty" enum:"on desk,returned,sold,broken" doc:"Where the sample is now"`
	Notes    string `json:"notes,omitempty"`
}

// Origins and States list what a unit's origin and state can be.
var (
	Origins = []string{"bought", "sent by maker", "borrowed", "own"}
	States  = []string{"on desk", "returned", "sold", "broken"}
)

// Rig is units put together for a purpose.
type Rig struct {
	Slug  string    `json:"slug"`
	Name  string    `json:"name"`
	Parts []RigPart `json:"parts"`
	Notes string    `json:"notes,omitempty"`
}

// RigPart is one unit in a rig and what it does there.
type RigPart struct {
	Unit string `json:"unit"`
	Role string `json:"role"`
}

// Qualifier is the small print of a claim.
type Qualifier string

// Qualifiers lists the qualifiers of claims: exact has no small print.
var Qualifiers = []Qualifier{"exact", "up to", "at least", "at most", "typical"}

// Claim is what a maker or seller says of a variant.
type Claim struct {
	ID         string            `json:"id,omitempty" readOnly:"true"`
	Variant    string            `json:"variant,omitempty"`
	Measure    string            `json:"measure" doc:"test/measure that can judge it"`
	Value      float64           `json:"value"`
	Unit       string            `json:"unit"`
	Qualifier  Qualifier         `json:"qualifier,omitempty" enum:"exact,up to,at least,at most,typical"`
	Conditions map[string]string `json:"conditions,omitempty" doc:"Conditions the claim was made for"`
	Place      string            `json:"place,omitempty" doc:"Port, slot, screen or surface it was made for"`
	Link       string            `json:"link,omitempty" doc:"Link that it names, such as USB 10 Gbit/s: what that cannot carry is impossible"`
	Tolerance  float64           `json:"tolerance,omitempty" doc:"Relative; 0 means the measure's own, 0.01 by default"`
	Source     string            `json:"source" doc:"Box, spec sheet, product page …"`
	Date       string            `json:"date,omitempty"`
}

// Offer is a price seen on a day. Amount is in minor units of the currency (cents).
type Offer struct {
	ID          string   `json:"id,omitempty" readOnly:"true"`
	Variant     string   `json:"variant,omitempty"`
	Amount      int64    `json:"amount" minimum:"0" doc:"Minor units of the currency, after the voucher"`
	Currency    string   `json:"currency" pattern:"^[A-Z]{3}$" patternDescription:"three capital letters, such as EUR" doc:"ISO 4217"`
	Region      string   `json:"region"`
	TaxIncluded bool     `json:"tax_included"`
	Condition   string   `json:"condition" enum:"new,used,refurbished"`
	Seller      string   `json:"seller"`
	Date        string   `json:"date" doc:"Day the price was seen, YYYY-MM-DD"`
	Voucher     *Voucher `json:"voucher,omitempty"`
	Contents    []string `json:"contents,omitempty" doc:"What is in the box beside the device"`
	List        bool     `json:"list,omitempty" doc:"The maker's list price, not a street price"`
}

// Voucher is a code that lowers a price and by how much, in minor units.
type Voucher struct {
	Code   string `json:"code"`
	Amount int64  `json:"amount"`
}

// Conditions lists what an offered thing's state can be.
var Conditions = []string{"new", "used", "refurbished"}

// Dossier is everything a desk wrote down about one model: the exchange format's content.
type Dossier struct {
	Format   string           `json:"format"`
	Model    Model            `json:"model"`
	Variants []DossierVariant `json:"variants"`
	Rigs     []Rig            `json:"rigs,omitempty"`
}

// DossierFormat names the version of the dossier format.
const DossierFormat = "durvek-dossier/1"

// DossierVariant is a variant together with what hangs on it.
type DossierVariant struct {
	Variant
	Units  []Unit  `json:"units,omitempty"`
	Claims []Claim `json:"claims,omitempty"`
	Offers []Offer `json:"offers,omitempty"`
}
