package speech_test

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/testkit/truth"
)

// Sentences without a pause inside, beginning and ending with all kinds of sounds. None of them was learnt from.
var sentences = []string{
	"She sells the lamp oil by the harbour steps", "Fog came in before the evening tide", "We heard the horn twice that night",
	"Thick ropes hung from the second mast", "Nobody kept the light after the storm", "Half of the islanders left in spring",
	"Stop at the cliff", "The keeper wrote it all down in his book of weather", "Yes", "His sister painted the north wall white",
	"Perhaps the signal was never sent", "A small boat crossed from the other shore with fish",
}

// syllables are said one at a time.
var syllables = []string{"Yes", "No", "Stop", "Go", "Three", "Ah", "One", "Eight", "Fog", "Light", "Why", "Shh it", "North", "Me", "Up", "Two"}

// readAloud are sentences of somebody who reads a novel, and of others, from Debian's package pocketsphinx-testdata. None was learnt from.
const readAloud = "/usr/share/pocketsphinx/test/data"

// spokenBy are sentences by a voice, each cut to where it sounds; the voice "read" is that of people.
var spokenBy = func() func(t testing.TB, voice string, said []string) []audio.PCM {
	var mu sync.Mutex
	kept := map[string][]audio.PCM{}
	return func(t testing.TB, voice string, said []string) []audio.PCM {
		mu.Lock()
		defer mu.Unlock()
		key := fmt.Sprint(voice, len(said))
		if kept[key] == nil {
			var err error
			if voice == "read" {
				for _, of := range []string{"librivox", "cards"} {
					all, failed := truth.Folder(t.Context(), readAloud+"/"+of)
					kept[key], err = append(kept[key], all...), failed
				}
				kept[key] = slices.Delete(kept[key], 1, 2) // it begins with the end of a word, and a breath
			} else {
				kept[key], err = truth.Flite(t.Context(), voice, said)
			}
			require.NoError(t, err)
			require.NotEmpty(t, kept[key])
		}
		return kept[key]
	}
}()

// laid lays sentences by a voice at a level with pauses from 0.3 to 3 s in between.
func laid(t testing.TB, voice string, level float64) *truth.Take {
	return truth.Laid(uint64(len(voice)), level, 0.3, 3, spokenBy(t, voice, sentences))
}

// condition is a kind of recordings, with what is aimed at: shares of the time, and sentences that are found by 50 ms too late or more, or
// not at all.
type condition struct {
	name             string
	right, missed    float64
	late, undetected int
	make             func(ctx context.Context, seed uint64, said, single, others []audio.PCM) (*truth.Take, error)
}

func plain(seed uint64, said []audio.PCM) *truth.Take { return truth.Laid(seed, -22, 0.3, 3, said) }

// in is a condition in which something is done to sentences that were laid.
func in(name string, right, missed float64, late, undetected int, do func(k *truth.Take)) condition {
	return condition{name, right, missed, late, undetected, func(_ context.Context, seed uint64, said, _, _ []audio.PCM) (*truth.Take, error) {
		k := plain(seed, said)
		do(k)
		return k, nil
	}}
}

// Two pieces of music that nothing has learnt from.
var (
	bleeds = sync.OnceValue(func() []float32 { return truth.Music(77, 40*audio.Second) })
	lies   = sync.OnceValue(func() []float32 { return truth.Music(78, 40*audio.Second) })
)

// conditions are all. Where the room comes close to the voice, its softest first sounds cannot be heard, and such a sentence begins late.
func conditions() []condition {
	return []condition{
		in("a quiet room", 0.995, 0.005, 0, 0, func(k *truth.Take) { k.Room(50) }),
		in("a room 35 dB under", 0.993, 0.01, 0, 0, func(k *truth.Take) { k.Room(35) }),
		in("gated: no room at all", 0.995, 0.005, 0, 0, func(*truth.Take) {}),
		in("a room 20 dB under, a quarter of the sentences 12 dB softer", 0.987, 0.015, 12, 1, func(k *truth.Take) { k.Softer(0.25, 12).Room(20) }),
		in("a room 10 dB under", 0.98, 0.025, 14, 0, func(k *truth.Take) { k.Room(10) }),
		in("breaths and clicks", 0.993, 0.01, 0, 0, func(k *truth.Take) { k.Breaths(28).Clicks(2).Room(45) }),
		in("pages", 0.993, 0.01, 0, 0, func(k *truth.Take) { k.Pages(18).Room(45) }),
		in("hum, music from the headphones 35 dB under, 12 dB softer from half way on", 0.99, 0.01, 3, 0, func(k *truth.Take) {
			k.Over(bleeds(), 35).Hum(28).Falls(12).Room(50)
		}),
		in("knocks on a desk that resounds", 0.993, 0.01, 0, 0, func(k *truth.Take) { k.Knocks(0, 0.03, 0.06).Room(45) }),
		in("a street with horns", 0.99, 0.01, 5, 0, func(k *truth.Take) { k.Horns(6).Street(26) }),
		in("laughs and coughs", 0.993, 0.01, 0, 0, func(k *truth.Take) { k.Laughs(3).Coughs(4).Room(45) }),
		in("noise that pumps behind a compressor, 7 dB under", 0.992, 0.01, 1, 0, func(k *truth.Take) { k.Pumps(7, 20, 0.3) }),
		in("a bed in the recording, 10 dB under", 0.975, 0.015, 4, 0, func(k *truth.Take) { k.Over(lies(), 10).Room(50) }),
		in("a room that rings", 0.98, 0.01, 0, 0, func(k *truth.Take) { k.Rings(0.35, 12).Room(45) }),
		{"telephone", 0.99, 0.01, 2, 0, func(ctx context.Context, seed uint64, said, _, _ []audio.PCM) (*truth.Take, error) {
			k := plain(seed, said).Room(40)
			return k, k.Telephone(ctx)
		}},
		{"MP3 at 64 kbit/s", 0.993, 0.01, 0, 0, func(ctx context.Context, seed uint64, said, _, _ []audio.PCM) (*truth.Take, error) {
			k := plain(seed, said).Room(40)
			return k, k.Coded(ctx, 64)
		}},
		{"single syllables", 0.99, 0.01, 2, 1, func(_ context.Context, seed uint64, _, single, _ []audio.PCM) (*truth.Take, error) {
			return plain(seed, single).Room(40), nil
		}},
		{"a second speaker 8 dB softer", 0.993, 0.01, 0, 0, func(_ context.Context, seed uint64, said, _, others []audio.PCM) (*truth.Take, error) {
			return plain(seed, truth.InTurn(said, others, -8)).Room(42), nil
		}},
		in("long pauses with knocks, horns and laughs", 0.99, 0.01, 2, 0, func(k *truth.Take) {
			k.Stretched(12).Knocks(2, 0.03, 0.06).Horns(6).Laughs(4).Room(45)
		}),
	}
}

// row is what came of a condition in all of its recordings.
type row struct {
	right, missed, falsely     float64
	undetected, spurious, late int
	onsets                     []float64
	recordings                 float64
}

func (r *row) add(o truth.Apart) {
	r.right, r.missed, r.falsely = r.right+o.Right, r.missed+o.Missed, r.falsely+o.False
	r.undetected, r.spurious, r.late = r.undetected+o.Undetected, r.spurious+o.Spurious, r.late+o.Late
	r.onsets = append(r.onsets, o.Onsets...)
	r.recordings++
}

// The best open detector of general use that could be tried has between 86.8 and 96.9 % right of these same recordings, 32 ms at a time,
// and takes 46 laughs and 17 knocks for speech.
func TestSpeechIsFoundWhateverTheRoom(t *testing.T) {
	for _, c := range conditions() {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			var all row
			var minutes float64
			for i, voice := range []string{"slt", "rms", "awb", "kal16", "read"} {
				other := []string{"rms", "awb", "slt", "rms", "slt"}[i]
				for seed := range uint64(2) {
					k, err := c.make(t.Context(), 100*seed+uint64(i), spokenBy(t, voice, sentences), spokenBy(t, voice, syllables), spokenBy(t, other, sentences))
					require.NoError(t, err)
					o := k.Judge(found(k))
					all.add(o)
					minutes += k.PCM.Length().Seconds() / 60
					t.Logf("%s %d: right %.2f missed %.2f false %.2f undetected %d spurious %d late %d", voice, seed, 100*o.Right, 100*o.Missed, 100*o.False, o.Undetected, o.Spurious, o.Late)
				}
			}
			n := all.recordings
			slices.Sort(all.onsets)
			k := len(all.onsets)
			t.Logf("| %s | %.2f | %.2f | %.2f | %d | %d in %.0f min | %d | %+.0f / %+.0f / %+.0f |", c.name, 100*all.right/n, 100*all.missed/n, 100*all.falsely/n, all.undetected,
				all.spurious, minutes, all.late, 1000*all.onsets[k/20], 1000*all.onsets[k/2], 1000*all.onsets[k-1-k/20])
			assert.GreaterOrEqual(t, all.right/n, c.right, "of the time is right")
			assert.LessOrEqual(t, all.missed/n, c.missed, "of the time of speech")
			assert.LessOrEqual(t, all.undetected, c.undetected)
			assert.LessOrEqual(t, float64(all.spurious), math.Ceil(minutes/4), "one in four minutes, most of them none at all")
			assert.LessOrEqual(t, all.late, c.late)
		})
	}
}

func TestWhatIsNoVoiceIsNotTakenForOne(t *testing.T) {
	for name, make := range map[string]func(k *truth.Take){
		"a room":           func(k *truth.Take) { k.Room(20) },
		"a street":         func(k *truth.Take) { k.Street(10).Horns(0) },
		"knocks":           func(k *truth.Take) { k.Knocks(0, 0.03, 0.06).Room(40) },
		"laughs":           func(k *truth.Take) { k.Laughs(0).Room(40) },
		"coughs":           func(k *truth.Take) { k.Coughs(0).Room(40) },
		"music":            func(k *truth.Take) { k.Over(lies(), 0) },
		"pages and clicks": func(k *truth.Take) { k.Pages(6).Clicks(0).Room(40) },
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			k := truth.Empty(5, -22, 60)
			make(k)
			var long float64
			for _, s := range found(k) {
				long += (s.To - s.From).Seconds()
			}
			t.Logf("%.2f s of 60", long)
			assert.LessOrEqual(t, long, 3.0, "seconds of a minute")
		})
	}
}

// found are the phrases that are found in a recording.
func found(k *truth.Take) (out []session.Span) {
	for _, p := range speech.Find(k.PCM) {
		out = append(out, session.Span(p))
	}
	return out
}

func TestSensitivityIsForTheExceptionalRecording(t *testing.T) {
	// Somebody who is heard from another room, 34 dB softer than the one at the microphone.
	far, near := laid(t, "rms", -54), laid(t, "slt", -20).Room(55)
	both := audio.NewPCM(1, near.PCM.Length()+far.PCM.Length())
	copy(both[0], near.PCM[0])
	at := near.PCM.Length()
	copy(both[0][at:], far.PCM[0])
	heard := func(found []speech.Phrase) (n int) {
		for _, p := range far.Spoken {
			if slices.ContainsFunc(found, func(f speech.Phrase) bool { return f.From < p.To+at && f.To > p.From+at }) {
				n++
			}
		}
		return n
	}
	usual, more, less := speech.Find(both), speech.FindWith(both, 12), speech.FindWith(both, -12)
	assert.Equal(t, len(far.Spoken), heard(more), "all of it with more sensitivity")
	assert.Less(t, heard(usual), len(far.Spoken)/2, "and hardly any with the usual one")
	assert.LessOrEqual(t, heard(less), heard(usual))
	assert.Equal(t, speech.FindWith(both, 12), speech.FindWith(both, 99), "it is held at its most")
}
