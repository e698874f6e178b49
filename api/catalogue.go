package api

import (
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/books"
)

const catalogue = "catalogue"

// Models, variants, units, rigs, claims and offers.
var (
	ImportDossier = post[File, books.Intake](catalogue, "/api/dossiers", "import-dossier",
		"Take in a dossier (YAML or JSON), or nothing of it")
	ExportDossier = file[Slugged](catalogue, "/api/dossiers/{slug}", "export-dossier",
		"Everything known of a model, as a dossier in YAML (JSON with .json)", "application/yaml")
	Models   = get[Listing, []catalog.Model](catalogue, "/api/models", "list-models", "List models")
	AddModel = post[Body[catalog.Model], catalog.Model](catalogue, "/api/models", "add-model", "Add or change a model")
	Model    = get[Slugged, books.ModelPage](catalogue, "/api/models/{slug}", "show-model",
		"A model with variants, units, claims, offers and lineage")
	Variants   = get[OfModel, []catalog.Variant](catalogue, "/api/variants", "list-variants", "List variants")
	AddVariant = post[Body[catalog.Variant], catalog.Variant](catalogue, "/api/variants", "add-variant",
		"Add or change a variant")
	Variant = get[Slugged, catalog.DossierVariant](catalogue, "/api/variants/{slug}", "show-variant",
		"A variant with units, claims and offers")
	Units     = get[UnitsIn, []catalog.Unit](catalogue, "/api/units", "list-units", "List units")
	AddUnit   = post[Body[catalog.Unit], catalog.Unit](catalogue, "/api/units", "add-unit", "Add or change a unit")
	Unit      = get[Slugged, catalog.Unit](catalogue, "/api/units/{slug}", "show-unit", "A unit")
	AddDevice = post[Body[catalog.Device], catalog.Sample](catalogue, "/api/devices", "add-device",
		"Put a sample on the books by what it is called, with its model and variant where they are not there yet")
	Examples = get[None, desk.Examples](catalogue, "/api/examples", "list-examples",
		"Which made-up rivals are on the books")
	LoadExamples = post[Body[ExamplesOf], desk.Examples](catalogue, "/api/examples", "load-examples",
		"Put made-up rivals on the books, to have something to be ranked against; they are never published")
	DropExamples = drop[Dropping](catalogue, "/api/examples", "drop-examples",
		"Take the made-up rivals off the books again, with all that was measured on them")
	Rigs        = get[None, []catalog.Rig](catalogue, "/api/rigs", "list-rigs", "List rigs")
	Rig         = get[Slugged, catalog.Rig](catalogue, "/api/rigs/{slug}", "show-rig", "A rig")
	AddRig      = post[Body[catalog.Rig], catalog.Rig](catalogue, "/api/rigs", "add-rig", "Add or change a rig")
	CheckClaims = get[ClaimsIn, []claims.Judged](catalogue, "/api/claims", "check-claims",
		"Judge every claim about a variant, or about all")
	AddClaim = post[Body[catalog.Claim], catalog.Claim](catalogue, "/api/claims", "add-claim",
		"Add a claim about a variant")
	Clear = post[Clearing, None](catalogue, "/api/clearings", "clear",
		"Empty parts of a model, variant or unit; adding again changes only what it names")
	Remove = drop[Removal](catalogue, "/api/books/{kind}/{id}", "remove",
		"Remove a model, variant, unit, rig, setup, claim, offer, plan or review on which nothing rests")
	Kinds = get[None, []catalog.OwnKind](catalogue, "/api/kinds", "list-kinds",
		"List the kinds of product: those that ship, then those of the desk's own")
	AddKind = post[Body[catalog.OwnKind], catalog.OwnKind](catalogue, "/api/kinds", "add-kind",
		"Add a kind of product of the desk's own")
	Archived = get[None, []record.Archived](catalogue, "/api/archive", "list-archived",
		"List what is kept and no longer offered")
	Archive = post[Body[Archiving], None](catalogue, "/api/archive", "archive",
		"Keep a model, variant, unit, setup, plan or review and have lists and fields no longer offer it")
	Unarchive = drop[ArchivedOne](catalogue, "/api/archive/{kind}/{id}", "unarchive",
		"Have something offered again that was archived")
	Remarks = get[RemarksIn, []record.Remark](catalogue, "/api/remarks", "list-remarks",
		"List remarks and reports: what is said without a figure")
	AddRemark = post[Body[RemarkNote], record.Remark](catalogue, "/api/remarks", "add-remark",
		"Note an impression of the desk's own, or what others report; it never counts")
	WithdrawRemark = post[Withdrawing, record.Remark](catalogue, "/api/remarks/{slug}/withdrawal", "withdraw-remark",
		"Withdraw a remark or report; it is kept, with the reason")
	Offers   = get[OfVariant, []catalog.Offer](catalogue, "/api/offers", "list-offers", "List offers")
	AddOffer = post[Body[catalog.Offer], catalog.Offer](catalogue, "/api/offers", "add-offer", "Add an offer of a variant")
)

// Listing says whether a list holds what is archived.
type Listing struct {
	Archived bool `query:"archived" doc:"Archived ones, too"`
}

// ExamplesOf says of which kinds of product there are to be examples.
type ExamplesOf struct {
	Kinds []catalog.Kind `json:"kinds,omitempty" doc:"Kinds; those of what is on the books if left out, and all where nothing is"`
}

// Dropping says what is to go with the examples.
type Dropping struct {
	All bool `query:"all" doc:"With the runs, plans, claims and whatever else people put on them"`
}

// Archiving names what is to be archived, and why.
type Archiving struct {
	Kind   string `json:"kind" enum:"model,variant,unit,setup,plan,review"`
	Slug   string `json:"slug" doc:"Slug, or id of a plan"`
	Reason string `json:"reason,omitempty"`
}

// ArchivedOne names something that is archived.
type ArchivedOne struct {
	Kind string `path:"kind" enum:"model,variant,unit,setup,plan,review"`
	ID   string `path:"id"`
}

// RemarksIn narrows a list of remarks.
type RemarksIn struct {
	Variant   string `query:"variant" doc:"Only what is said of this variant"`
	Withdrawn bool   `query:"withdrawn" doc:"Withdrawn ones, too"`
}

// RemarkNote is something that is said of a variant without a figure.
type RemarkNote struct {
	Variant string            `json:"variant"`
	Kind    record.RemarkKind `json:"kind,omitempty" enum:"remark,report"`
	Text    string            `json:"text"`
	Area    string            `json:"area,omitempty" doc:"What it is about: processor, memory, storage, graphics, applications, response, display, battery, noise and heat, wireless and ports, body, price"`
	Measure string            `json:"measure,omitempty" doc:"What it is about: test/measure"`
	Who     string            `json:"who,omitempty" doc:"Of a report: who says it"`
	Dated   string            `json:"dated,omitempty" doc:"Of a report: the day it was said, as 2026-10-02"`
	Source  string            `json:"source,omitempty" doc:"Of a report: where it was read"`
}

// Withdrawing names what is withdrawn, and why.
type Withdrawing struct {
	Slugged
	Body Reasoned
}

// Reasoned is a reason.
type Reasoned struct {
	Reason string `json:"reason" minLength:"1"`
}

// ClaimsIn narrows claims to a variant's, and what judges them to some of its figures.
type ClaimsIn struct {
	OfVariant
	Narrowed
}

// OfModel narrows a list to one model's.
type OfModel struct {
	Model string `query:"model" doc:"Only this model's"`
}

// OfVariant narrows a list to one variant's.
type OfVariant struct {
	Variant string `query:"variant" doc:"Only this variant's"`
}

// UnitsIn narrows a list of units.
type UnitsIn struct {
	OfVariant
	Listing
}

// Clearing says what is to be emptied.
type Clearing struct{ Body Emptied }

// Emptied names parts of a model, variant or unit.
type Emptied struct {
	Kind  string   `json:"kind" enum:"model,variant,unit"`
	Slug  string   `json:"slug"`
	Parts []string `json:"parts" doc:"released, succeeds, also_sold_as, notes; spec, spec.KEY; serial, received"`
}

// Removal names something on the books.
type Removal struct {
	Kind string `path:"kind" enum:"model,variant,unit,rig,setup,claim,offer,plan,review"`
	ID   string `path:"id" doc:"Slug, or id of a claim, offer or plan"`
}
