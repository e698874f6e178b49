package storage

import (
	"bytes"
	"testing"
)

// What a block is written with, at once or piece by piece, is what is looked for when it is read back, at every place.
func TestBothContentsAreTheSamePieceByPiece(t *testing.T) {
	f, err := Open(t.TempDir(), 64<<20)
	if err != nil {
		t.Skip(err)
	}
	defer f.Close()
	for place := int64(0); place < 3*content; place += SequentialBlock {
		for name, of := range map[string]func(int64, int) []byte{"first": f.data, "other": f.other} {
			whole := of(place, SequentialBlock)
			for at := 0; at < SequentialBlock; at += grain {
				if !bytes.Equal(whole[at:at+grain], of(place+int64(at), grain)) {
					t.Fatalf("the %s content of the block at %d differs at %d", name, place, at)
				}
			}
		}
		if bytes.Equal(f.data(place, grain), f.other(place, grain)) {
			t.Errorf("both contents are the same at %d", place)
		}
	}
}
