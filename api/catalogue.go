package api

import (
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/desk/books"
)

const catalogue = "catalogue"

// Models, variants, units, rigs, claims and offers.
var (
	ImportDossier = post[File, books.Intake](catalogue, "/api/dossiers", "import-dossier",
		"Take in a dossier (YAML or JSON), or nothing of it")
	ExportDossier = file[Slugged](catalogue, "/api/dossiers/{slug}", "export-dossier",
		"Everything known of a model, as a dossier in YAML (JSON with .json)", "application/yaml")
	Models   = get[None, []catalog.Model](catalogue, "/api/models", "list-models", "List models")
	AddModel = post[Body[catalog.Model], catalog.Model](catalogue, "/api/models", "add-model", "Add or change a model")
	Model    = get[Slugged, books.ModelPage](catalogue, "/api/models/{slug}", "show-model",
		"A model with variants, units, claims, offers and lineage")
	Variants   = get[OfModel, []catalog.Variant](catalogue, "/api/variants", "list-variants", "List variants")
	AddVariant = post[Body[catalog.Variant], catalog.Variant](catalogue, "/api/variants", "add-variant",
		"Add or change a variant")
	Variant = get[Slugged, catalog.DossierVariant](catalogue, "/api/variants/{slug}", "show-variant",
		"A variant with units, claims and offers")
	Units       = get[OfVariant, []catalog.Unit](catalogue, "/api/units", "list-units", "List units")
	AddUnit     = post[Body[catalog.Unit], catalog.Unit](catalogue, "/api/units", "add-unit", "Add or change a unit")
	Unit        = get[Slugged, catalog.Unit](catalogue, "/api/units/{slug}", "show-unit", "A unit")
	Rigs        = get[None, []catalog.Rig](catalogue, "/api/rigs", "list-rigs", "List rigs")
	Rig         = get[Slugged, catalog.Rig](catalogue, "/api/rigs/{slug}", "show-rig", "A rig")
	AddRig      = post[Body[catalog.Rig], catalog.Rig](catalogue, "/api/rigs", "add-rig", "Add or change a rig")
	CheckClaims = get[OfVariant, []claims.Judged](catalogue, "/api/claims", "check-claims",
		"Judge every claim about a variant, or about all")
	AddClaim = post[Body[catalog.Claim], catalog.Claim](catalogue, "/api/claims", "add-claim",
		"Add a claim about a variant")
	Clear = post[Clearing, None](catalogue, "/api/clearings", "clear",
		"Empty parts of a model, variant or unit; adding again changes only what it names")
	Remove = drop[Removal](catalogue, "/api/books/{kind}/{id}", "remove",
		"Remove a model, variant, unit, rig, setup, claim or offer on which nothing rests")
	Offers   = get[OfVariant, []catalog.Offer](catalogue, "/api/offers", "list-offers", "List offers")
	AddOffer = post[Body[catalog.Offer], catalog.Offer](catalogue, "/api/offers", "add-offer", "Add an offer of a variant")
)

// OfModel narrows a list to one model's.
type OfModel struct {
	Model string `query:"model" doc:"Only this model's"`
}

// OfVariant narrows a list to one variant's.
type OfVariant struct {
	Variant string `query:"variant" doc:"Only this variant's"`
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
	Kind string `path:"kind" enum:"model,variant,unit,rig,setup,claim,offer"`
	ID   string `path:"id" doc:"Slug, or id of a claim or offer"`
}
