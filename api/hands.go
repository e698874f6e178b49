package api

import (
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/desk/results"
)

const hands = "hands"

// What is looked at and tried by hand.
var (
	Sheets  = get[KindOf, []method.Sheet](hands, "/api/sheets", "list-sheets", "Inspection sheets")
	Inspect = get[Slugged, results.Inspection](hands, "/api/inspections/{slug}", "inspect",
		"The inspection sheet of a unit with what was found so far")
	Photos = get[PhotosOf, []results.Attachment](hands, "/api/photos", "list-photos", "Photos of a unit or run")
	// AddPhoto keeps the picture alone, not what the camera wrote beside it.
	AddPhoto = post[PhotoIn, results.Attachment](hands, "/api/photos", "add-photo",
		"Take in a photo of a unit, JPEG or PNG; only the picture is kept").
		Making(func(a results.Attachment) string { return at("/api/photos", a.ID) }).AtMost(32 << 20)
	Photo    = file[Slugged](hands, "/api/photos/{slug}", "show-photo", "A photo", "image/jpeg")
	Partners = get[OfPart, []compare.Pair](hands, "/api/partners", "partners",
		"What works with what: part, partner, place, firmware")
	NotePartner = post[Body[PartnerNote], None](hands, "/api/partners", "note-partner",
		"Note that a part works or fails with a partner")
)

// PhotosOf narrows a list of photos.
type PhotosOf struct {
	Unit string `query:"unit"`
	Run  string `query:"run" doc:"Only those of this run"`
	// Doubt's are its evidence.
	Doubt string `query:"doubt" doc:"Only those that are evidence of this doubt"`
}

// PhotoIn is a photo of a unit.
type PhotoIn struct {
	Unit    string `query:"unit" required:"true"`
	Run     string `query:"run" doc:"Run that it shows"`
	Measure string `query:"measure" doc:"Test, or test/measure, that it belongs to"`
	Doubt   string `query:"doubt" doc:"Doubt that it is evidence of"`
	Name    string `query:"name"`
	Caption string `query:"caption" doc:"What is seen on it"`
	RawBody []byte `contentType:"application/octet-stream"`
}

// OfPart narrows a list to one part's.
type OfPart struct {
	Part string `query:"part" doc:"Only this unit's"`
}

// PartnerNote says that a part works or fails with a partner.
type PartnerNote struct {
	Part     string `json:"part"`
	Partner  string `json:"partner" doc:"Unit, rig, or any other thing by its name"`
	Place    string `json:"place,omitempty" doc:"Port, slot or screen"`
	Firmware string `json:"firmware,omitempty" doc:"Firmware of part or partner"`
	Outcome  string `json:"outcome" enum:"works,fails"`
	How      string `json:"how,omitempty" doc:"How it works, or what goes wrong"`
}
