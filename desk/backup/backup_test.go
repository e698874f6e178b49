package backup_test

import (
	"archive/tar"
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"

	"durvek/core/verdict"
	"durvek/desk"
	"durvek/desk/backup"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

// ours is a desk with figures, a photo and an edition.
func ours(t *testing.T) (*house.House, string) {
	t.Helper()
	dir := t.TempDir()
	d := testdesk.OpenedIn(t, dir, testdesk.Morning)
	testdesk.Rates(t, d, "a", "", 100, 101)
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 20, 10))); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Results.AddPhoto(testdesk.Ctx, results.Attachment{Unit: "a", Name: "lid.png"}, b.Bytes(),
		"me"); err != nil {
		t.Fatal(err)
	}
	r, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "a"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	r.Summary, r.Recommendation = "Fine.", "recommended"
	if _, err = d.Reviews.SaveReview(testdesk.Ctx, r, "me"); err == nil {
		_, err = d.Reviews.SignReview(testdesk.Ctx, "a", "Me")
	}
	if err == nil {
		_, err = d.Reviews.Publish(testdesk.Ctx, "a", "", "me")
	}
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "durvek.yaml"), []byte("name: Desk\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	return d, dir
}

func archived(t *testing.T, dir string) []byte {
	t.Helper()
	var b bytes.Buffer
	if n, err := backup.Write(testdesk.Ctx, dir, &b); err != nil || n < 10 {
		t.Fatalf("%d files, %v", n, err)
	}
	return b.Bytes()
}

// A backup that is made while the desk is at work brings all of it back elsewhere.
func TestABackupBringsAllBack(t *testing.T) {
	d, dir := ours(t)
	stop, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
				d.Results.TypeReadings(testdesk.Ctx, results.Typed{Test: "work", Subject: "b", Repeat: i, Sitting: fmt.Sprint(i),
					Readings: map[string]string{"rate": fmt.Sprint(50 + i%9)}}, "me")
			}
		}
	}()
	archive := archived(t, dir)
	close(stop)
	<-ended
	to := filepath.Join(t.TempDir(), "elsewhere")
	r, old, err := backup.Restore(testdesk.Ctx, bytes.NewReader(archive), to, false, time.Now())
	if err != nil || old != "" || r.Photos != 1 || r.Editions != 1 || r.Runs < 2 || len(r.Wrong) != 0 {
		t.Fatalf("%+v, %q, %v", r, old, err)
	}
	again, err := house.Open(testdesk.Ctx, house.Options{Options: desk.Options{Dir: to}})
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	if _, err := again.Reviews.EditionDir(testdesk.Ctx, "a", 1); err != nil {
		t.Error(err)
	}
	photos, err := again.Results.Attachments(testdesk.Ctx, store.AttachmentFilter{Unit: "a"})
	if err != nil || len(photos) != 1 {
		t.Fatal(photos, err)
	}
	if _, media, err := again.Results.Photo(testdesk.Ctx, photos[0].ID); err != nil || media != "image/png" {
		t.Error(media, err)
	}
	if b, err := os.ReadFile(filepath.Join(to, "durvek.yaml")); err != nil || string(b) != "name: Desk\n" {
		t.Errorf("%s, %v", b, err)
	}
	if list, _ := filepath.Glob(filepath.Join(dir, ".backup-*")); len(list) != 0 {
		t.Errorf("left behind: %v", list)
	}
}

func TestARestoreKeepsWhatWasThereAndNeverGoesOverAService(t *testing.T) {
	d, dir := ours(t)
	archive := archived(t, dir)
	restore := func(replace bool) (string, error) {
		_, old, err := backup.Restore(testdesk.Ctx, bytes.NewReader(archive), dir, replace, testdesk.Morning())
		return old, err
	}
	_, err := restore(true)
	testdesk.Says(t, err, desk.Conflict, "a service runs on the data folder")
	testdesk.Rates(t, d, "b", "", 7)
	if err := d.Close(); err != nil {
		t.Fatal(err)
	}
	_, err = restore(false)
	testdesk.Says(t, err, desk.Conflict, "there is a desk in")
	old, err := restore(true)
	if err != nil {
		t.Fatal(err)
	}
	for at, runs := range map[string]int{dir: 2, old: 3} {
		if r, err := backup.Verify(testdesk.Ctx, at); err != nil || r.Runs != runs || len(r.Wrong) != 0 {
			t.Errorf("%s: %+v, %v", at, r, err)
		}
	}
}

// remade is an archive with its entries changed.
func remade(t *testing.T, archive []byte, change func(name string, body []byte) (string, []byte, bool)) []byte {
	t.Helper()
	z, err := zstd.NewReader(bytes.NewReader(archive))
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	packed, _ := zstd.NewWriter(&out)
	w := tar.NewWriter(packed)
	for r := tar.NewReader(z); ; {
		h, err := r.Next()
		if err == io.EOF {
			break
		}
		body, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		name, body, stays := change(h.Name, body)
		if !stays {
			continue
		}
		h.Name, h.Size = name, int64(len(body))
		w.WriteHeader(h)
		w.Write(body)
	}
	w.Close()
	packed.Close()
	return out.Bytes()
}

func TestADamagedArchiveIsRefusedAndNothingChanges(t *testing.T) {
	_, dir := ours(t)
	archive := archived(t, dir)
	spoil := func(name, to string, body []byte, stays bool) []byte {
		return remade(t, archive, func(n string, b []byte) (string, []byte, bool) {
			if !strings.HasPrefix(n, name) {
				return n, b, true
			}
			if body == nil {
				body = b
			}
			return to + strings.TrimPrefix(n, name), body, stays
		})
	}
	for name, x := range map[string]struct {
		archive []byte
		says    string
	}{
		"nothing":          {nil, "it is cut"},
		"no archive":       {[]byte("a letter to the desk, by mistake"), "nothing was changed"},
		"cut":              {archive[:len(archive)-50], "nothing was changed"},
		"without its list": {spoil("SHA256SUMS", "SHA256SUMS", nil, false), "the list of its files is missing"},
		"another photo":    {spoil("attachments/", "attachments/", []byte("x"), true), "is damaged or missing in it"},
		"a photo less":     {spoil("attachments/", "", nil, false), "is damaged or missing in it"},
		"out of its place": {spoil("durvek.yaml", "../durvek.yaml", nil, true), "which no backup does"},
		"one more":         {spoil("durvek.yaml", "more.yaml", nil, true), "is damaged or missing in it"},
	} {
		to := t.TempDir()
		if _, _, err := backup.Restore(testdesk.Ctx, bytes.NewReader(x.archive), to, false, time.Now()); err == nil ||
			!strings.Contains(err.Error(), x.says) {
			t.Errorf("%s: %v", name, err)
		}
		left, err := os.ReadDir(to)
		if err != nil || len(left) > 1 || len(left) == 1 && left[0].Name() != "durvek.lock" {
			t.Errorf("%s left %v", name, left)
		}
	}
}

// A desk that has lost a photo and an edition is backed up and comes back without them, which is said.
func TestWhatADeskHadLostIsNoReasonToLoseTheRest(t *testing.T) {
	d, dir := ours(t)
	d.Close()
	photos, _ := filepath.Glob(filepath.Join(dir, "attachments", "*", "*"))
	if err := errors.Join(os.Remove(photos[0]), os.RemoveAll(filepath.Join(dir, "editions"))); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if _, err := backup.Write(testdesk.Ctx, dir, &b); err != nil {
		t.Fatal(err)
	}
	to := t.TempDir()
	if err := os.Mkdir(filepath.Join(to, desk.Restoring+"cut"), 0o700); err != nil {
		t.Fatal(err)
	}
	r, _, err := backup.Restore(testdesk.Ctx, &b, to, false, time.Now())
	if err != nil || len(r.Wrong) != 2 || r.Damaged || r.Runs != 2 {
		t.Fatalf("%+v, %v", r, err)
	}
	if left, _ := filepath.Glob(filepath.Join(to, desk.Restoring+"*")); len(left) != 0 {
		t.Errorf("%v is left of a restore that was cut", left)
	}
}

func TestVerifyNamesWhatIsWrong(t *testing.T) {
	d, dir := ours(t)
	if r, err := backup.Verify(testdesk.Ctx, dir); err != nil || len(r.Wrong) != 0 || r.Photos != 1 || r.Editions != 1 {
		t.Fatalf("%+v, %v", r, err) // while it is at work
	}
	d.Close()
	photos, _ := filepath.Glob(filepath.Join(dir, "attachments", "*", "*"))
	page := filepath.Join(dir, "editions", "a", "1", "index.html")
	for says, spoil := range map[string]func() error{
		"not as it was taken in": func() error { return os.WriteFile(photos[0], []byte("x"), 0o600) },
		"was changed since": func() error {
			return os.WriteFile(page, []byte("x"), 0o600)
		},
	} {
		os.Chmod(page, 0o600)
		if err := spoil(); err != nil {
			t.Fatal(err)
		}
		if r, err := backup.Verify(testdesk.Ctx, dir); err != nil || !strings.Contains(strings.Join(r.Wrong, "\n"), says) {
			t.Errorf("%s: %+v, %v", says, r, err)
		}
	}
	os.Remove(photos[0])
	if r, err := backup.Verify(testdesk.Ctx, dir); err != nil || !strings.Contains(strings.Join(r.Wrong, "\n"),
		"is gone") {
		t.Errorf("%+v, %v", r, err)
	}
	if err := os.WriteFile(filepath.Join(dir, "durvek.db"), bytes.Repeat([]byte("spoilt"), 10000), 0o600); err != nil {
		t.Fatal(err)
	}
	if r, err := backup.Verify(testdesk.Ctx, dir); err == nil && !r.Damaged {
		t.Error("a database of nonsense passes")
	}
	if _, err := backup.Verify(testdesk.Ctx, t.TempDir()); err == nil || !strings.Contains(err.Error(),
		"there is no desk") {
		t.Errorf("%v", err)
	}
}

func TestBackupsFallDueAndTheOldestGo(t *testing.T) {
	_, dir := ours(t)
	s := backup.Schedule{Every: 24 * time.Hour, Keep: 2, To: filepath.Join(dir, "backups")}
	now := testdesk.Morning()
	if due, err := s.Due(now); err != nil || !due.Equal(now) {
		t.Errorf("with none: %v, %v", due, err)
	}
	if err := os.MkdirAll(s.To, 0o700); err != nil {
		t.Fatal(err)
	}
	for _, other := range []string{"before-version-9.db", "durvek-by-hand.tar.zst", "durvek-20200101T000000Z.tar"} {
		if err := os.WriteFile(filepath.Join(s.To, other), nil, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	var made []string
	for i := range 4 {
		path, err := s.Make(testdesk.Ctx, dir, now.Add(time.Duration(i)*time.Hour))
		if err != nil {
			t.Fatal(err)
		}
		made = append(made, filepath.Base(path))
	}
	if due, err := s.Due(now.Add(4 * time.Hour)); err != nil || !due.Equal(now.Add(27*time.Hour)) {
		t.Errorf("%v, %v", due, err)
	}
	if due, err := s.Due(now); err != nil || !due.Equal(now) {
		t.Errorf("with the clock set back: %v, %v", due, err)
	}
	list, err := os.ReadDir(s.To)
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, e := range list {
		names = append(names, e.Name())
	}
	want := append(slices.Clone(made[2:]), "before-version-9.db", "durvek-20200101T000000Z.tar", "durvek-by-hand.tar.zst")
	slices.Sort(want)
	if !slices.Equal(names, want) {
		t.Errorf("%v are left, want %v", names, want)
	}
	f, err := os.Open(filepath.Join(s.To, made[3]))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if _, _, err := backup.Restore(testdesk.Ctx, f, t.TempDir(), false, now); err != nil {
		t.Error(err)
	}
}
