package script

import (
	"regexp"
	"strings"

	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// block is a stretch of text that belongs together, without the marks of Markdown.
type block struct {
	heading int // its level, or 0
	text    string
}

// markdown reads CommonMark (spec.commonmark.org, as carried out by goldmark) as far as it
// is a way of writing down what is spoken. What would take words out of a reader's sight
// is left out of it: HTML, code, definitions of links, and headings by a line under them,
// which people write as a rule between two paragraphs.
var markdown = parser.NewParser(
	parser.WithBlockParsers(
		util.Prioritized(parser.NewThematicBreakParser(), 200),
		util.Prioritized(parser.NewListParser(), 300),
		util.Prioritized(parser.NewListItemParser(), 400),
		util.Prioritized(parser.NewATXHeadingParser(), 600),
		util.Prioritized(parser.NewBlockquoteParser(), 800),
		util.Prioritized(parser.NewParagraphParser(), 1000),
	),
	parser.WithInlineParsers(
		util.Prioritized(parser.NewCodeSpanParser(), 100),
		util.Prioritized(parser.NewLinkParser(), 200),
		util.Prioritized(parser.NewAutoLinkParser(), 300),
		util.Prioritized(parser.NewEmphasisParser(), 500),
		util.Prioritized(extension.NewStrikethroughParser(), 500),
	),
)

// longest is how many bytes may stand without an empty line between them for the marks in
// them to be read. No paragraph is that long, and what is made to look like one would take
// a parser's time with the square of its length.
const longest = 4 << 10

var (
	emptyLine = regexp.MustCompile(`\n[ \t]*\n`)
	marks     = regexp.MustCompile("[!-/:-@[-`{-~]")
)

// tamed is a script in which stretches that are too long have no marks but plain characters.
func tamed(script string) string {
	var out strings.Builder
	for script != "" {
		end := len(script)
		if at := emptyLine.FindStringIndex(script); at != nil {
			end = at[1]
		}
		stretch := script[:end]
		if len(stretch) > longest {
			stretch = marks.ReplaceAllString(stretch, `\$0`)
		}
		out.WriteString(stretch)
		script = script[end:]
	}
	return out.String()
}

// deepIndent is more than a list needs; further in, CommonMark takes a line for code, which nobody speaks.
var deepIndent = regexp.MustCompile(`(?m)^[ \t]{4,}|^ {0,3}\t[ \t]*`)

// blocks reads a text and gives its headings, paragraphs and list items that are not empty.
func blocks(script string) (out []block) {
	script = strings.ReplaceAll(strings.ReplaceAll(strings.ToValidUTF8(script, "?"), "\r\n", "\n"), "\r", "\n")
	source := []byte(deepIndent.ReplaceAllString(tamed(script), "   "))
	root := markdown.Parse(text.NewReader(source))
	_ = ast.Walk(root, func(n ast.Node, entering bool) (ast.WalkStatus, error) { // which gives no error of its own
		if !entering {
			return ast.WalkContinue, nil
		}
		b := block{}
		switch n := n.(type) {
		case *ast.Heading:
			b.heading = n.Level
		case *ast.Paragraph, *ast.TextBlock:
		default:
			return ast.WalkContinue, nil
		}
		var words strings.Builder
		plain(&words, n, source)
		b.text = strings.Join(strings.Fields(words.String()), " ")
		if strings.Trim(b.text, "=") != "" { // a row of = is a rule
			out = append(out, b)
		}
		return ast.WalkSkipChildren, nil
	})
	return out
}

// plain writes the words within a node, as they are read.
func plain(out *strings.Builder, n ast.Node, source []byte) {
	for c := n.FirstChild(); c != nil; c = c.NextSibling() {
		switch c := c.(type) {
		case *ast.Text:
			value := c.Segment.Value(source)
			if !c.IsRaw() {
				value = util.ResolveEntityNames(util.ResolveNumericReferences(util.UnescapePunctuations(value)))
			}
			out.Write(value)
			if c.SoftLineBreak() || c.HardLineBreak() {
				out.WriteByte(' ')
			}
		case *ast.String:
			out.Write(c.Value)
		case *ast.AutoLink:
			out.Write(c.Label(source))
		default:
			plain(out, c, source)
		}
	}
}
