package web_test

import (
	"context"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"

	"durvek/api"
	"durvek/client"
)

// What another desk published is looked at, taken in by its files, stands on charts as its own, and is removed.
func TestAnotherDesksEditionIsTakenInFromItsFiles(t *testing.T) {
	files, err := filepath.Glob("../demo/exchange/skiff-14/*")
	must(err)
	for i, f := range files {
		files[i], err = filepath.Abs(f)
		must(err)
	}
	p := signedIn(t, 1280, 800)
	p.open("/desk")
	p.Says("None. What another desk published can be taken in")
	p.Press("Take in an edition")
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`.v-overlay--active input[type=file]`), files[:1]))
	p.Says("there is no figures.csv among the files")
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`.v-overlay--active input[type=file]`), files))
	p.Says("31 figures of 4 devices, 31 of which stand beside ours")
	list, err := client.Ask(context.Background(), bed.client, api.Exchanged, api.None{})
	if err != nil || len(list) != 0 {
		t.Errorf("looking wrote something: %+v, %v", list, err)
	}
	p.Press("Take it in")
	p.Says("Taken in.")
	p.Press("Close")
	p.Says("Ardnoe Skiff 14: steady in every wind")
	p.open("/compare?measure=hashing/all&field=laptops&subject=skiff-14-16-1000&cell=gig-14-16-512-of-saltings-bench")
	p.Says("Wexcombe Gig 14 (Saltings Bench)")
	p.Says("Measured by Saltings Bench, with the interval that it published")
	p.open("/compare/head?variants=skiff-14-16-1000,skiff-14-16-1000-of-saltings-bench")
	p.Says("Ardnoe Skiff 14 (Saltings Bench)")
	p.open("/desk")
	p.Says("Ardnoe Skiff 14: steady in every wind")
	p.Press("Remove")
	p.Press("Remove it")
	p.Says("None. What another desk published can be taken in")
}
