package app

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"math/rand/v2"
	"runtime"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/workload"
)

const (
	documents      = 120
	documentDigest = "8c12f3cf"
)

func init() {
	register(method.Test{
		Slug: "documents", Name: "Document set", Repeats: 5, Seconds: 5,
		About: "120 documents with headings, lists, tables, code and links are rendered from Markdown (CommonMark) to " +
			"HTML, with one thread and with all.",
		StandsFor: "Building a site, a handbook or a knowledge base.", LimitedBy: "Branches and the collector of a " +
			"language with one; with all threads also the memory.",
		Input: "Documents of about 12 kB from seed 18, held in memory.", Checked: "Digest of the pages.",
		Measures: rates("{document}/min", 0.015, "single", "single thread", "all", "all threads"),
	}, func(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
		rng := rand.New(rand.NewPCG(18, 18))
		var texts [documents][]byte
		for i := range texts {
			texts[i] = newDocument(rng)
		}
		render := goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough))
		digests := make([][32]byte, documents)
		for k, threads := range []int{1, runtime.NumCPU()} {
			slug := []string{"single", "all"}[k]
			mean, s, err := timed(ctx, env.Part(k, 2), slug, 2, func() error {
				return together(threads, documents, func(i int) error {
					var b bytes.Buffer
					if err := render.Convert(texts[i], &b); err != nil {
						return err
					}
					digests[i] = sha256.Sum256(b.Bytes())
					return nil
				})
			})
			out.Series = append(out.Series, s)
			if err == nil {
				err = right(sum(digests), documentDigest)
			}
			if err != nil {
				return out, err
			}
			out.Readings = append(out.Readings, workload.Reading(slug, documents*60/mean))
		}
		return out, nil
	})
}

// words are what made-up texts are made of.
var words = []string{"harbour", "sounding", "of", "the", "chart", "tide", "and", "buoy", "a", "drifting", "to", "lamp",
	"under", "swell", "rope", "at", "night", "echo", "survey", "line", "near", "shallow", "with", "engine", "log"}

func sentence(rng *rand.Rand, n int) []byte {
	var b []byte
	for i := range n {
		w := words[rng.IntN(len(words))]
		if i > 0 {
			b = append(b, ' ')
		}
		switch rng.IntN(24) {
		case 0:
			w = "*" + w + "*"
		case 1:
			w = "`" + w + "`"
		case 2:
			w = "[" + w + "](/page/" + w + ")"
		}
		b = append(b, w...)
	}
	return append(b, '.')
}

func newDocument(rng *rand.Rand) []byte {
	var b []byte
	for i := range 14 {
		b = fmt.Appendf(b, "## %d %s\n\n", i+1, sentence(rng, 4))
		for range 2 {
			b = append(append(b, sentence(rng, 40)...), "\n\n"...)
		}
		for range 4 {
			b = fmt.Appendf(b, "- %s\n", sentence(rng, 8))
		}
		b = append(b, "\n| leg | depth | remark |\n|---|---:|---|\n"...)
		for range 5 {
			b = fmt.Appendf(b, "| %d | %d.%d | %s |\n", rng.IntN(40), rng.IntN(60), rng.IntN(10), sentence(rng, 3))
		}
		b = fmt.Appendf(b, "\n```\ndepth = %d\n```\n\n", rng.IntN(100))
	}
	return b
}
