package duck

import (
	"cmp"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/lead"
	"ruvel/core/session"
)

// Under is a track under a stretch of speech.
type Under struct {
	Power float64 // mean K-weighted square of it there, before it makes way
	Way   session.Way
}

// Drops says by how many dB each of the tracks that make way for the same voices goes down under a
// stretch of speech, so that the voices, of a mean K-weighted square, stand as far above all else as
// each wants, or as far as its most lets it; still is the mean square of all that makes no way.
// Tracks that want the same lead share the room: they go down by the same, those that nothing is heard of by nothing. Those that want less of
// a lead are settled first, and the others make up for them. Where nobody is heard nothing makes way.
func Drops(speech, still float64, under []Under) []audio.DB {
	out := make([]audio.DB, len(under))
	if speech < lead.Unheard {
		return out
	}
	var sharing []int
	for i, u := range under {
		if u.Way.By == session.ByDrop {
			out[i] = u.Way.Drop
			still += u.Power * square(-u.Way.Drop)
			continue
		}
		if u.Power >= Inaudible { // what cannot be heard there is in nobody's way
			sharing = append(sharing, i)
		}
	}
	slices.SortStableFunc(sharing, func(a, b int) int { return cmp.Compare(under[a].Way.Lead, under[b].Way.Lead) })
	for len(sharing) > 0 {
		wanted := under[sharing[0]].Way.Lead
		drop := common(speech*math.Pow(10, -wanted/10)-still, under, sharing)
		rest := sharing[:0:0]
		for _, i := range sharing {
			if under[i].Way.Lead > wanted {
				rest = append(rest, i)
				continue
			}
			out[i] = min(drop, under[i].Way.Most)
			still += under[i].Power * square(-out[i])
		}
		sharing = rest
	}
	return out
}

// Inaudible is the mean square, that of -70 LUFS, under which nothing is heard of a track: the absolute gate of BS.1770.
const Inaudible = 1.17e-7

// deepest is the most that anything goes down by.
const deepest audio.DB = 48

// common is the drop, no less than 0, with which tracks together are no louder than a room, each held
// at its most.
func common(room float64, under []Under, tracks []int) audio.DB {
	// In order of their mosts, those that have reached theirs are out of the reckoning one by one.
	order := slices.Clone(tracks)
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(under[a].Way.Most, under[b].Way.Most) })
	var moving float64
	for _, i := range order {
		moving += under[i].Power
	}
	for _, i := range order {
		drop := deepest
		if room > 0 {
			drop = audio.DB(10 * math.Log10(moving/room))
		}
		if !(drop > 0) { // also where nothing sounds
			return 0
		}
		if drop <= under[i].Way.Most {
			return drop
		}
		moving -= under[i].Power
		room -= under[i].Power * square(-under[i].Way.Most)
	}
	return deepest
}

// square is the power ratio of a level.
func square(level audio.DB) float64 { return math.Pow(10, float64(level)/10) }
