package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/speech"
	"ruvel/testkit/truth"
)

// material is what takes are made of.
type material struct {
	series uint64        // another one makes other takes
	voices [][]audio.PCM // sentences, by voice
	music  []audio.PCM
}

// words are put together to sentences for flite.
var words = strings.Fields(`a about above across after again against along always another around ask autumn away back barley because before begin behind below between
bird black blue boat book both bridge bright bring brown build burn bush busy buy call calm carry chair change cheese child choose church city clean clear climb
close cloud coat coffee cold corner could count country cover cross cup dance dark daughter deep desk dinner dog door down dream dress drink drive dry dust each early
earth east easy eat edge egg eight empty end enough evening every eye face fall family far farm fast father feather field fifty finger fire first flower fly follow
foot forest forget four fresh friend from fruit full garden gate gentle give glass gold good grass grave green ground grow guess half hand happy hard head hear heavy
help her hill history hold home honest hope horse hour house how hundred hurry ice idea inside iron island it journey jump keep kettle key kind kitchen know lake
lamp large last laugh lead leaf learn leave left letter light listen little live long look loud love low machine market matter meadow measure meet middle milk mind
minute mirror money month moon morning mother mountain mouth move much music name narrow near neck never new next night nine noise north nothing now number ocean
of often oil old once one only open orange other our out over own page paint paper park part pass path peace pencil people perhaps picture piece place plant play
please pocket point poor port potato press proud pull push put quarter question quick quiet rain ready red remember rest rich ride right ring river road rock room
rope rough round row run sad safe sail salt same sand save school sea season second see sell send seven shadow shall sharp she sheep ship shoe shop short shoulder
show sick side silver simple since sing sister sit six skin sky sleep slow small smoke snow soft some son song soon south speak spend spring square stairs stand
star station stay stone stop storm story strange street strong such sugar summer sun supper sure sweet swim table take talk tall taste teach tell ten thank that
the their then thick thin thing think third this thousand three through throw ticket time to today together tomorrow tonight top town train travel tree trip true
trust try turn twelve twenty two under until up use valley very village visit voice wait walk wall want warm wash watch water way weather week well west wet what
wheel when where which while white who why wide wild will wind window winter wise wish with without woman wood word work world would write year yellow yes yet you young zero`)

// gather brings together what takes are made of: for each voice of flite a hundred and fifty sentences, murmurs, and the sentences of folders.
func gather(ctx context.Context, music string, dirs []string) (*material, error) {
	m := &material{}
	random := rand.New(rand.NewPCG(3, 3))
	for _, voice := range []string{"slt", "rms", "awb", "kal", "kal16"} {
		var texts []string
		for range 150 {
			var said []string
			for range 1 + random.IntN(9) {
				said = append(said, words[random.IntN(len(words))])
			}
			texts = append(texts, strings.Join(said, " "))
		}
		sentences, err := truth.Flite(ctx, voice, texts)
		if err != nil {
			return nil, err
		}
		m.voices = append(m.voices, sentences)
	}
	m.voices = append(m.voices, truth.Murmur(1000, 150))
	for _, dir := range dirs {
		sentences, err := truth.Folder(ctx, dir)
		if err != nil {
			return nil, err
		}
		fmt.Printf("%s: %d sentences\n", dir, len(sentences))
		if len(sentences) > 0 {
			m.voices = append(m.voices, sentences)
		}
	}
	if music != "" {
		pieces, err := truth.Pieces(ctx, music)
		if err != nil {
			return nil, err
		}
		m.music = pieces
		fmt.Printf("%s: %d pieces\n", music, len(pieces))
	}
	return m, nil
}

// lessons are made of takes, one after the other, until there are as many as are wanted.
func (m *material) lessons(ctx context.Context, want int) ([]lesson, error) {
	out := make([][]lesson, (want+2)/3)
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(2)
	for i := range out {
		g.Go(func() (err error) {
			out[i], err = m.take(ctx, uint64(i))
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	var all []lesson
	for _, of := range out {
		all = append(all, of...)
	}
	return all, nil
}

// take makes some lessons of a take.
func (m *material) take(ctx context.Context, seed uint64) (out []lesson, err error) {
	random := rand.New(rand.NewPCG(seed, m.series))
	k, err := m.made(ctx, random)
	if err != nil {
		return nil, err
	}
	l := speech.NewListener()
	l.Write(k.PCM)
	told := l.Told()
	steps := len(told[0])
	spoken, counts := make([]float32, steps), make([]float32, steps)
	for i := range counts {
		counts[i] = 1
	}
	const step = audio.Rate / 100
	for _, s := range k.Spoken {
		from, to := int((s.From+step/2)/step), min(int((s.To+step/2)/step), steps)
		for i := from; i < to; i++ {
			spoken[i] = 1
			if i < from+8 {
				counts[i] = 3 // a late onset hurts most
			}
		}
	}
	for at := 0; at+length <= steps; at += length {
		of := lesson{spoken: spoken[at:][:length], counts: counts[at:][:length]}
		for _, row := range told {
			of.rows = append(of.rows, row[at:at+length])
		}
		out = append(out, of)
	}
	return out, nil
}

// made is a take of a random kind.
func (m *material) made(ctx context.Context, random *rand.Rand) (*truth.Take, error) {
	between := func(low, high float64) float64 { return low + (high-low)*random.Float64() }
	chance := func(often float64) bool { return random.Float64() < often }
	var sentences []audio.PCM
	voices := [][]audio.PCM{m.voices[random.IntN(len(m.voices))]}
	if chance(0.25) {
		voices = append(voices, m.voices[random.IntN(len(m.voices))])
	}
	// The same voice larger or smaller, thinner or duller, is another one.
	sizes := []float64{between(0.83, 1.2), between(0.83, 1.2)}
	var thin, dull float64
	if chance(0.5) {
		thin = between(40, 300)
	}
	if chance(0.3) {
		dull = between(2000, 9000)
	}
	var seconds float64
	longest := between(1, 5)
	if chance(0.15) {
		longest = between(8, 25)
	}
	for seconds < 45 {
		voice := random.IntN(len(voices))
		of := voices[voice]
		s := truth.Coloured(of[random.IntN(len(of))], sizes[voice], thin, dull)
		sentences = append(sentences, s)
		seconds += s.Length().Seconds() + math.Sqrt(0.3*longest)
	}
	k := truth.Laid(random.Uint64(), between(-40, -14), 0.3, longest, sentences)
	if chance(0.12) { // nobody speaks
		k = truth.Empty(random.Uint64(), between(-40, -14), 45)
	}
	if chance(0.25) {
		k.Softer(between(0.1, 0.5), between(4, 13))
	}
	if chance(0.15) {
		k.Rings(between(0.15, 0.5), between(6, 18))
	}
	beside := []func(){
		func() { k.Breaths(between(18, 34)) },
		func() { k.Clicks(between(-4, 20)) },
		func() { k.Pages(between(14, 30)) },
		func() { k.Knocks(between(-8, 14), 0.015, 0.13) },
		func() { k.Knocks(between(-8, 14), 0.03, 0.06) },
		func() { k.Horns(between(-2, 20)) },
		func() { k.Horns(between(-2, 20)) },
		func() { k.Laughs(between(-3, 14)) },
		func() { k.Laughs(between(-3, 14)) },
		func() { k.Coughs(between(-3, 14)) },
		func() { k.Hum(between(18, 45)) },
		func() { k.Over(m.piece(random), between(8, 40)) },
		func() { k.Over(m.piece(random), between(7, 12)) },
		func() { k.Over(m.piece(random), between(8, 16)) },
		func() { k.Over(m.piece(random), between(9, 20)) },
		func() { k.Over(m.piece(random), between(28, 45)) },
		func() { k.Lies(float32(between(-0.1, 0.1))) },
	}
	for range random.IntN(4) {
		beside[random.IntN(len(beside))]()
	}
	if len(k.Spoken) > 0 && chance(0.15) {
		k.Falls(between(6, 14))
	}
	switch random.IntN(7) {
	case 0:
		k.Pumps(between(5, 30), between(5, 25), between(0.1, 0.8))
	case 1:
		k.Street(between(12, 40))
	case 2:
		k.Room(between(7, 22))
	case 3, 4, 5:
		k.Room(between(18, 60))
	}
	if chance(0.14) {
		return k, k.Telephone(ctx)
	}
	if chance(0.1) {
		return k, k.Coded(ctx, []int{48, 64, 96}[random.IntN(3)])
	}
	return k, nil
}

// piece is some music: recorded, or made up.
func (m *material) piece(random *rand.Rand) []float32 {
	const long = 40 * audio.Second
	if len(m.music) == 0 || random.IntN(2) == 0 {
		return truth.Music(random.Uint64(), long)
	}
	of := m.music[random.IntN(len(m.music))]
	if of.Length() <= long {
		return of[0]
	}
	at := audio.Frames(random.Int64N(int64(of.Length() - long)))
	return of[0][at : at+long]
}
