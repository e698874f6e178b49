package api

// Group is a part of the API.
type Group struct{ Name, Words string }

// Groups lists the parts of the API.
var Groups = []Group{
	{access, "Who may ask: people, sign-ins, tokens, the journal; and the words that files may use"},
	{Agents, "What a machine under test asks while it works through a plan"},
	{told, "Other programs that are told what happens, by webhooks"},
	{onBench, "Tests, setups, and the plans on the bench"},
	{catalogue, "Models, variants, units, rigs, claims, offers, remarks"},
	{compared, "Comparisons: rankings, head to head, index, fit, value, modes, curves, what to test next"},
	{hands, "What people measure and note by hand: sheets, photos, partners"},
	{measured, "Runs, traces, readings and incidents"},
	{reviews, "Findings, verdicts and editions"},
	{doubts, "What the rules and people distrust"},
}
