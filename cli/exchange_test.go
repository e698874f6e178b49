package cli_test

import (
	"os"
	"path/filepath"
	"testing"
)

// What one desk publishes is another's rival: a folder, a zip, a whole site; looked at, taken in, compared, removed.
func TestAnotherDesksEditionBecomesRivals(t *testing.T) {
	home := t.TempDir()
	serve(t, bed.data)
	call(t, home, "--data", bed.data, "site", "write", "theirs").want(t, 0, "editions in")
	mine := filepath.Join(home, "mine")
	serveAs(t, mine, "Kelp Bench")
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", mine}, args...)...)
	}
	saltings, err := filepath.Abs("../demo/exchange")
	must(err)
	do("exchange", "import", saltings, "--dry-run").want(t, 0, "Nothing wrong, nothing written",
		`edition 1 of "Ardnoe Skiff 14: steady in every wind" by Saltings Bench`,
		"31 figures of 4 devices, 28 of which stand beside this desk's own",
		"Screen luminance	screen-luminance	3	no such test here")
	do("exchange", "list").want(t, 0, "Desk	Review	Edition")
	do("exchange", "import", saltings, "theirs").want(t, 0, "Taken in", "by Saltings Bench", "by Marram Desk")
	do("exchange", "list").want(t, 0, "Saltings Bench	skiff-14	1	2026-11-09	4	31	28	CC0-1.0	saltings-bench",
		"Marram Desk	petrel	2")
	do("rank", "show", "hashing/all").want(t, 0, "Ardnoe Skiff 14 (Saltings Bench)", "Selvane Fen 14 (Marram Desk)",
		"Measured by other desks: 12 by Marram Desk, 4 by Saltings Bench. Kelp Bench.")
	do("head", "show", "fen-14-16-512-of-marram-desk", "fen-14-16-512-of-saltings-bench").want(t, 0,
		"Hashing, all threads")
	do("exchange", "remove", "saltings-bench", "--review", "skiff-14").want(t, 0, "Removed.")
	do("exchange", "remove", "saltings-bench").want(t, 1, `nothing that a desk "saltings-bench" published is here`)
	do("exchange", "import", saltings, "--as", "Saltings, old building").want(t, 0, "by Saltings, old building")

	// What is no edition, or was changed on its way, leaves everything as it is.
	do("exchange", "import", filepath.Join(home, "nowhere")).want(t, 1, "cannot be read")
	must(os.Mkdir(filepath.Join(home, "empty"), 0o755))
	do("exchange", "import", "empty").want(t, 1, "empty holds no edition's data")
	must(os.WriteFile(filepath.Join(home, "x.zip"), []byte("PK no"), 0o644))
	do("exchange", "import", "x.zip").want(t, 1, "neither a folder nor a zip")
	figures := filepath.Join(home, "theirs/reviews/fen-14/1/data/figures.csv")
	b, err := os.ReadFile(figures)
	must(err)
	must(os.WriteFile(figures, append(b, b[len(b)/2:]...), 0o644))
	do("exchange", "import", "theirs").want(t, 1, "reviews/fen-14/1/data: figures.csv is not the table that "+
		"datapackage.json describes")
	must(os.WriteFile(filepath.Join(home, "theirs/reviews/fen-14/1/data/datapackage.json"), []byte(`{"name": "birds"}`),
		0o644))
	do("exchange", "import", "theirs").want(t, 1, "a data package of another profile")
	do("exchange", "list").want(t, 0, "Marram Desk	fen-14	1", "saltings-old-building")
	call(t, home, "--data", bed.data, "exchange", "import", filepath.Join(home, "theirs/reviews/petrel")).want(t, 1,
		"published by this desk itself")
}
