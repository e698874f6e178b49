package publish

import (
	"bytes"
	"html/template"
	"strings"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

var (
	policy   = bluemonday.UGCPolicy()
	markdown = goldmark.New(goldmark.WithParserOptions(parser.WithASTTransformers(util.Prioritized(noPictures{}, 0))))
)

// noPictures turns pictures into text: an edition shows its own charts alone, and asks nobody for anything.
type noPictures struct{}

func (noPictures) Transform(doc *ast.Document, reader text.Reader, _ parser.Context) {
	var pictures []*ast.Image
	ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if i, ok := n.(*ast.Image); ok && entering {
			pictures = append(pictures, i)
		}
		return ast.WalkContinue, nil
	})
	for _, i := range pictures {
		said := "picture: " + string(i.Destination)
		if alt := plainText(i, reader.Source()); alt != "" {
			said = alt + " (" + said + ")"
		}
		i.Parent().ReplaceChild(i.Parent(), i, ast.NewString([]byte(said)))
	}
}

// plainText is what stands in a node.
func plainText(n ast.Node, source []byte) string {
	var b strings.Builder
	for c := n.FirstChild(); c != nil; c = c.NextSibling() {
		if t, ok := c.(*ast.Text); ok {
			b.Write(t.Segment.Value(source))
		} else {
			b.WriteString(plainText(c, source))
		}
	}
	return b.String()
}

// Markdown renders a reviewer's text; nothing in it can script or style the page, or have a reader's browser ask
// elsewhere for a picture.
func Markdown(source string) template.HTML {
	var b bytes.Buffer
	if err := markdown.Convert([]byte(source), &b); err != nil {
		return template.HTML(template.HTMLEscapeString(source))
	}
	return template.HTML(policy.SanitizeBytes(b.Bytes()))
}
