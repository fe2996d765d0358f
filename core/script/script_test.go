package script_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/script"
	"ruvel/testkit/law"
)

const sample = `# The Last Fog Signal

[theme, then under]

This is *Harbour Hours*. For a **hundred and nine** years
a [horn](https://example.org) answered it.

## Keeper
> You felt it -- before you heard it.

- One line for each blast.
- Two snake_case words.

---
[gulls] And out there, 3 ships.

This is Harbour Hours. For a hundred and nine years a horn answered it.
`

func TestAScriptIsReadAsHeadingsDirectionsAndWhatIsSpoken(t *testing.T) {
	r := script.Read(sample, script.Usual, nil)
	type row struct {
		kind  script.Kind
		text  string
		words int
	}
	var got []row
	for _, p := range r.Parts {
		got = append(got, row{p.Kind, p.Text, p.Words})
	}
	assert.Equal(t, []row{
		{script.Heading, "The Last Fog Signal", 0},
		{script.Direction, "[theme, then under]", 0},
		{script.Spoken, "This is Harbour Hours. For a hundred and nine years a horn answered it.", 14},
		{script.Heading, "Keeper", 0},
		{script.Spoken, "You felt it -- before you heard it.", 7},
		{script.Spoken, "One line for each blast.", 5},
		{script.Spoken, "Two snake_case words.", 3},
		{script.Spoken, "[gulls] And out there, 3 ships.", 5},
		{script.Spoken, "This is Harbour Hours. For a hundred and nine years a horn answered it.", 14},
	}, got)
	assert.Equal(t, []int{1, 2}, []int{r.Parts[0].Level, r.Parts[3].Level})
	assert.Equal(t, 48, r.Words)
	// 48 words at 150 a minute and six breaths of half a second.
	assert.Equal(t, audio.Seconds(48*60.0/150+3), r.Time)
	assert.Equal(t, r.Time, r.Left)
	assert.NotEqual(t, r.Parts[2].Key, r.Parts[8].Key, "the same words twice are two parts")
	assert.Empty(t, script.Read(" \n\n", script.Usual, nil).Parts)
}

func TestMarkdownIsReadAsItIsWrittenAndNoWordIsLost(t *testing.T) {
	// Source: spec.commonmark.org for emphasis, links, lists, escapes and entities.
	for text, want := range map[string][]string{
		"**Bold _and_ soft** and `code` and ~~gone~~":              {"Bold and soft and code and gone"},
		"A [horn](https://example.org \"title\") and ![a bird](x)": {"A horn and a bird"},
		"one\ntwo  \nthree":                          {"one two three"},
		"one\r\ntwo\r\n\r\nthree":                    {"one two", "three"},
		"1. First\n2. Second\n\n   goes on\n* Third": {"First", "Second", "goes on", "Third"},
		"Ten \\* two &amp; three &#233;":             {"Ten * two & three é"},
		"A paragraph\n---\nAnother":                  {"A paragraph", "Another"},
		"A paragraph\n\n====\n\nAnother":             {"A paragraph", "Another"},
		"    Set in, and still spoken":               {"Set in, and still spoken"},
		"[Keeper]: I heard it":                       {"[Keeper]: I heard it"},
		"<pause> and <b>loud</b>":                    {"<pause> and <b>loud</b>"},
		"> > Twice quoted\n> - a point":              {"Twice quoted", "a point"},
		"5 * 3 * 2 and snake_case_word":              {"5 * 3 * 2 and snake_case_word"},
		"<https://example.org>":                      {"https://example.org"},
	} {
		var got []string
		for _, p := range script.Read(text, script.Usual, nil).Parts {
			got = append(got, p.Text)
		}
		assert.Equal(t, want, got, text)
	}
}

func TestAStretchTooLongToBeAParagraphIsReadCharacterByCharacter(t *testing.T) {
	// A parser takes a second for each of these with the square of its length; here it is the length alone.
	for _, marks := range []string{"[a](", "> ", "**_~", "![a]", "`", "&amp;", `\\`} {
		text := strings.TrimSpace(strings.Repeat(marks, 100_000/len(marks)))
		r := script.Read("Before.\n\n"+text+"\n\nAfter *all*.", script.Usual, nil)
		if assert.Len(t, r.Parts, 3, marks) {
			assert.Equal(t, "After all.", r.Parts[2].Text)
			if !strings.Contains(marks, "&") {
				assert.Equal(t, text, r.Parts[1].Text, "no character is lost")
			}
		}
	}
}

func TestTheTimeFollowsThePaceAndWhatHasBeenRecorded(t *testing.T) {
	text := strings.TrimSpace(strings.Repeat("word ", 300))
	assert.Equal(t, 2*audio.Second*60+audio.Second/2, script.Read(text, 150, nil).Time)
	assert.Equal(t, audio.Second*60+audio.Second/2, script.Read(text, 300, nil).Time)
	assert.Equal(t, script.Read(text, script.Slowest, nil).Time, script.Read(text, 0, nil).Time, "a pace is held within what can be read")
	r := script.Read(sample, script.Usual, nil)
	again := script.Read(sample, script.Usual, map[string]bool{r.Parts[2].Key: true, r.Parts[0].Key: true, "gone": true})
	assert.True(t, again.Parts[2].Recorded)
	assert.False(t, again.Parts[0].Recorded, "a heading cannot be recorded")
	assert.Equal(t, r.Time-r.Parts[2].Time, again.Left)
}

func TestAPartKeepsItsKeyWhileItsWordsStayAndLosesItWithThem(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		paragraph := rapid.StringMatching(`[a-z]{1,8}( [a-z]{1,8}){0,5}`)
		parts := rapid.SliceOfN(paragraph, 1, 6).Draw(t, "parts")
		before := script.Read(strings.Join(parts, "\n\n"), script.Usual, nil)
		at := rapid.IntRange(0, len(parts)).Draw(t, "at")
		more := append(append(append([]string{}, parts[:at]...), "Zyx quite new."), parts[at:]...)
		after := script.Read(strings.Join(more, "\r\n\r\n"), script.Fastest, nil)
		keys := map[string]string{}
		for _, p := range after.Parts {
			keys[p.Key] = p.Text
		}
		if len(keys) != len(after.Parts) {
			t.Fatalf("two parts have one key")
		}
		for _, p := range before.Parts {
			if keys[p.Key] != p.Text {
				t.Fatalf("%q lost its key", p.Text)
			}
		}
	})
}

func FuzzAnyTextIsAScript(f *testing.F) {
	f.Add(sample)
	f.Add("**_`~~[a](b)")
	f.Add("\xff\n# \n####### x\n> > >\n1. \n")
	f.Fuzz(func(t *testing.T, text string) {
		r := script.Read(text, script.Usual, nil)
		var sum audio.Frames
		for _, p := range r.Parts {
			sum += p.Time
			if p.Text == "" || p.Key == "" || (p.Words > 0) != (p.Time > 0) || p.Kind != script.Spoken && p.Words > 0 {
				t.Fatalf("%+v", p)
			}
		}
		if sum != r.Time {
			t.Fatalf("%v and %v", sum, r.Time)
		}
	})
}
