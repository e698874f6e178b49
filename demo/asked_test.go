package demo

import (
	"encoding/json"
	"os"
	"path/filepath"
)

// saltings is what another desk published, as it is sent.
func saltings() string {
	files := map[string]string{}
	paths, err := filepath.Glob("exchange/skiff-14/*")
	for _, p := range paths {
		b, failed := os.ReadFile(p)
		if failed != nil {
			err = failed
		}
		files[filepath.Base(p)] = string(b)
	}
	body, failed := json.Marshal(map[string]any{"files": files})
	if err != nil || failed != nil {
		panic("what the other desk published cannot be read")
	}
	return string(body)
}

// asking is one thing asked for its example. What {x} names in path, body or token is what an earlier answer called
// so: keep says where, by dots.
type asking struct{ verb, path, body, keep, token string }

// rest is asked of the filled desk for what nobody asks while it is filled, in this order.
var rest = []asking{
	{"GET", "/api/me", "", "", ""}, {"GET", "/api/desk", "", "", ""}, {"GET", "/api/vocabulary", "", "", ""},
	{"GET", "/api/formats/sheet", "", "", ""}, {"GET", "/api/rules", "", "", ""}, {"GET", "/api/analyses", "", "", ""},
	{"GET", "/api/kinds", "", "", ""}, {"GET", "/api/conditions", "", "", ""}, {"GET", "/api/measures", "", "", ""},
	{"GET", "/api/models?limit=3", "", "", ""}, {"GET", "/api/variants?limit=3", "", "", ""},
	{"GET", "/api/units?limit=3", "", "", ""}, {"GET", "/api/tests?limit=2", "", "", ""},
	{"GET", "/api/tests/hashing", "", "", ""}, {"GET", "/api/uses?limit=2", "", "", ""},
	{"GET", "/api/offers?variant=fen-14-16-512", "", "", ""}, {"GET", "/api/rates", "", "", ""},
	{"GET", "/api/sheets", "", "", ""}, {"GET", "/api/plan-library?kind=laptop", "", "", ""},
	{"GET", "/api/photos", "", "photo=0.id", ""}, {"GET", "/api/photos/{photo}", "", "", ""},
	{"GET", "/api/rigs/own-build", "", "", ""}, {"GET", "/api/rigs/own-build/cost", "", "", ""},
	{"GET", "/api/runs?subject=fen-14-16-512-a&test=hashing&limit=2", "", "run=runs.0.id", ""},
	{"GET", "/api/runs/{run}", "", "", ""}, {"GET", "/api/runs/{run}/trace", "", "", ""},
	{"GET", "/api/runs/{run}/trace.csv", "", "", ""},
	{"GET", "/api/runs?subject=relay-15-16-512-a&test=small-files&limit=9", "", "late=runs.0.id early=runs.8.id", ""},
	{"GET", "/api/run-changes?a={early}&b={late}", "", "", ""},
	{"GET", "/api/run-twins?unit=fen-14-16-512-a", "", "", ""},
	{"GET", "/api/runs?subject=fen-14-16-512-a&test=flicker&limit=1", "", "raw=runs.0.id", ""},
	{"GET", "/api/runs/{raw}/source", "", "", ""}, {"GET", "/api/runs/{raw}/source/file", "", "", ""},
	{"GET", "/api/runs/{raw}/source/picture.svg", "", "", ""},
	{"GET", "/api/doubts?limit=1", "", "doubt=doubts.0.id", ""}, {"GET", "/api/doubts/{doubt}", "", "", ""},
	{"GET", "/api/incidents?limit=1", "", "incident=incidents.0.id", ""}, {"GET", "/api/incidents/{incident}", "", "", ""},
	{"GET", "/api/charts/ranked.svg?measure=hashing/all&field=laptops", "", "", ""},
	{"GET", "/api/charts/head.svg?variants=fen-14-16-512,sound-16-32-1000", "", "", ""},
	{"GET", "/api/charts/index.svg?field=machines&use=survey", "", "", ""},
	{"GET", "/api/charts/modes.svg?measure=hashing/all&field=laptops", "", "", ""},
	{"GET", "/api/charts/curves.svg?test=hashing-sustained&field=laptops", "", "", ""},
	{"GET", "/api/charts/value.svg?measure=hashing/all&field=laptops", "", "", ""},
	{"GET", "/api/charts/claims.svg?variant=fen-14-16-512", "", "", ""},
	{"GET", "/api/reviews/fen-14/charts", "", "", ""}, {"GET", "/api/reviews/fen-14/preview", "", "", ""},
	{"GET", "/api/reviews/fen-14/cards", "", "", ""}, {"GET", "/api/reviews/fen-14/editions/1", "", "", ""},

	{"PUT", "/api/desk", `{"name":"Marram Desk","licence":"CC-BY-4.0","imprint":"The chandlery's measuring room"}`, "",
		""},
	{"POST", "/api/people", `{"name":"Ines","role":"editor"}`, "", ""}, {"GET", "/api/people", "", "", ""},
	{"PATCH", "/api/people/Ines", `{"role":"owner"}`, "", ""},
	{"POST", "/api/sign-in-links", `{"person":"Ines"}`, "code=code", ""},
	{"POST", "/api/sign-in", `{"code":"{code}","name":"Ines's tablet"}`, "hers=token", ""},
	{"POST", "/api/sign-out", "", "", "{hers}"},
	{"POST", "/api/tokens", `{"name":"nightly export","days":90,"scope":"reader"}`, "", ""},
	{"GET", "/api/tokens", "", "", ""}, {"DELETE", "/api/tokens/nightly%20export", "", "", ""},
	{"DELETE", "/api/people/Ines", "", "", ""},
	{"POST", "/api/entry/asks", `{"name":"Wilma"}`, "hers=secret", ""},
	{"GET", "/api/entries", "", "asks=0.id", ""}, {"POST", "/api/entries/{asks}/admission", `{"role":"reader"}`, "", ""},
	{"POST", "/api/entry/answers", `{"secret":"{hers}"}`, "", ""},
	{"POST", "/api/entry/asks", `{"name":"Somebody"}`, "", ""}, {"GET", "/api/entries", "", "asks=0.id", ""},
	{"DELETE", "/api/entries/{asks}", "", "", ""},

	{"POST", "/api/exchange", saltings(), "", ""}, {"GET", "/api/exchange", "", "", ""},
	{"DELETE", "/api/exchange/saltings-bench", "", "", ""},

	{"GET", "/api/hook-kinds", "", "", ""},
	{"POST", "/api/hooks", `{"url":"http://127.0.0.1:1/told","kinds":["run.kept","doubt.raised"],"note":"the board"}`,
		"hook=id", ""},
	{"POST", "/api/hooks/{hook}/trials", "", "", ""}, {"GET", "/api/hooks", "", "", ""},
	{"PUT", "/api/hooks/{hook}", `{"kinds":["edition.published"]}`, "", ""},

	{"POST", "/api/kinds", `{"kind":"lamp","plural":"lamps"}`, "", ""},
	{"POST", "/api/conditions", `{"key":"own.lid","name":"lid","meaning":"Whether the lid is open"}`, "", ""},
	{"POST", "/api/setups", `{"slug":"quiet","name":"Quiet mode","conditions":{"power.mode":"quiet"},"raised":false}`, "",
		""},
	{"POST", "/api/devices", `{"kind":"laptop","maker":"Selvane","name":"Fen 12","configuration":"8 GB, 256 GB",` +
		`"spec":{"memory.size":"8 GB","drive.size":"256 GB"},"origin":"bought","serial":"SE-0012"}`, "", ""},
	{"POST", "/api/models", `{"slug":"fen-11","kind":"laptop","maker":"Selvane","name":"Fen 11","released":"2025-03"}`,
		"", ""},
	{"POST", "/api/variants", `{"slug":"fen-11-8","model":"fen-11","name":"8 GB","spec":{"memory.size":"8 GB"}}`, "", ""},
	{"POST", "/api/units",
		`{"slug":"fen-11-8-a","variant":"fen-11-8","serial":"SE-0011","origin":"borrowed","received":"2026-11-20"}`, "", ""},
	{"POST", "/api/claims",
		`{"variant":"fen-11-8","measure":"weight/weight",` +
			`"qualifier":"at most","value":1.2,"unit":"kg","source":"spec sheet"}`, "", ""},
	{"POST", "/api/offers",
		`{"variant":"fen-11-8","seller":"Bollard Row","amount":54900,"currency":"EUR",` +
			`"condition":"new","region":"DE","tax_included":true,"date":"2026-11-20"}`, "", ""},
	{"POST", "/api/rigs",
		`{"slug":"till","name":"Till machine",` +
			`"parts":[{"unit":"tern-mini-32-1000-a","role":"machine"},{"unit":"wrack-1000-a","role":"drive"}]}`, "", ""},
	{"POST", "/api/uses",
		`{"slug":"till","name":"At the till","needs":[],"weights":[{"measure":"hashing/all","weight":1}]}`, "", ""},
	{"POST", "/api/runs?unit=fen-11-8-a&setup=as-delivered",
		`{"format":"durvek-runs/1","machine":{"name":"fen-11","system":"Strand OS 8","boot":"1"},` +
			`"runs":[{"id":"0192f7a4-5b6c-7d8e-9f00-112233445566","test":"hashing","test_version":1,"repeat":0,` +
			`"started":"2026-11-20T10:00:00Z",` +
			`"ended":"2026-11-20T10:00:03Z","outcome":"done","readings":[{"measure":"single","state":"ok","value":1203.5}]}]}`,
		"", ""},
	{"POST", "/api/archive", `{"kind":"unit","slug":"fen-11-8-a","reason":"returned to its maker"}`, "", ""},
	{"GET", "/api/archive", "", "", ""}, {"DELETE", "/api/archive/unit/fen-11-8-a", "", "", ""},
	{"DELETE", "/api/books/rig/till", "", "", ""}, {"DELETE", "/api/fields/pocket", "", "", ""},
	{"POST", "/api/clearings", `{"kind":"model","slug":"fen-11","parts":["notes"]}`, "", ""},

	{"POST", "/api/mappings",
		`{"name":"dose log","analysis":"discharge","header":["t","mWh"],` +
			`"columns":{"time":{"column":"t","unit":"s"},"charge":{"column":"mWh","unit":"mWh"}}}`, "", ""},
	{"POST", "/api/mapping-files", "format: durvek-mapping/1\nname: link log\nanalysis: link-rate\nheader: [t, rate]\n" +
		"columns:\n  time: {column: t, unit: s}\n  rate: {column: rate, unit: Mbit/s}\n", "", ""},
	{"GET", "/api/mappings", "", "", ""}, {"DELETE", "/api/mappings/dose%20log", "", "", ""},
	{"POST", "/api/runs/{run}/logs?name=meter.csv&shift=0", "time [s],power [W]\n0,11.5\n1,21.25\n2,22\n3,21.75\n",
		"log=id", ""},
	{"PUT", "/api/runs/{run}/logs/{log}", `{"shift":0.5}`, "", ""}, {"DELETE", "/api/runs/{run}/logs/{log}", "", "", ""},
	{"PUT", "/api/tests/fan-noise/aside", `{"reason":"the meter is away to be calibrated"}`, "", ""},
	{"POST", "/api/trials", `{"test":"hull-mesher","output":"mesh done: 12.4 s\n"}`, "", ""},

	{"POST", "/api/arrivals", `{"kind":"laptop"}`, "arrival=code", ""},
	{"POST", "/api/plan-files?library=laptop-quick&unit=fen-14-16-512-a", "", "", ""},
	{"POST", "/api/plans", `{"unit":"fen-14-16-512-a","steps":[{"test":"hashing","repeats":2}]}`, "plan=id", ""},
	{"GET", "/api/plans/{plan}", "", "", ""}, {"GET", "/api/plan-files/{plan}", "", "", ""},
	{"PUT", "/api/plans/{plan}", `{"steps":[{"test":"hashing","repeats":3},{"test":"compression","repeats":2}]}`, "", ""},
	{"POST", "/api/plans/{plan}/codes", "", "code=code", ""},
	{"POST", "/api/agent/join", `{"code":"{code}","machine":{"name":"fen-14","system":"Strand OS 8","boot":"1"}}`,
		"agent=token", ""},
	{"POST", "/api/agent/rejoin", `{"name":"fen-14","system":"Strand OS 8","boot":"2"}`, "", "{agent}"},
	{"POST", "/api/agent/incidents",
		`{"id":"0192f7a4-5b6c-7d8e-9f00-665544332211","unit":"fen-14-16-512-a","at":"2026-11-23T08:00:00Z",` +
			`"kind":"interruption","text":"The machine started anew between two runs","times":1}`, "", "{agent}"},
	{"POST", "/api/agent/progress",
		`{"plan":"{plan}","done":0,"jobs":5,"step":0,"repeat":0,"test":"hashing","phase":"waits","share":0,"left":40,` +
			`"state":"needs-you","ask":{"id":"as-delivered","setup":"as-delivered","text":"Plug in the charger","now":true}}`,
		"", "{agent}"},
	{"POST", "/api/plans/{plan}/confirmations", `{"ask":"as-delivered"}`, "", ""},
	{"GET", "/api/plans/{plan}/trace", "", "", ""},
	{"POST", "/api/plans/{plan}/directives", `{"do":"pause"}`, "", ""},
	{"POST", "/api/doubts/{doubt}/repeats", "", "", ""}, {"POST", "/api/examinations?subject=fen-14-16-512-a", "", "", ""},
	{"POST", "/api/recounts", "", "", ""},
	{"POST", "/api/incidents/{incident}/changes",
		`{"text":"Read once more: it was the loose cable","reason":"the note was of another day"}`, "", ""},
	{"GET", "/api/remarks?variant=fen-14-16-512", "", "remark=0.id", ""},
	{"POST", "/api/remarks/{remark}/withdrawal", `{"reason":"its source took it back"}`, "", ""},
	{"GET", "/api/site", "", "", ""}, {"POST", "/api/site", `{"base":"https://desk.invalid/measured"}`, "", ""},
	{"GET", "/api/hooks/{hook}/messages", "", "", ""}, {"DELETE", "/api/hooks/{hook}", "", "", ""},
	{"GET", "/api/examples", "", "", ""}, {"POST", "/api/examples", `{"kinds":["phone"]}`, "", ""},
	{"DELETE", "/api/examples", "", "", ""},
}
