package server

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/waveform"
	"ruvel/internal/access"
	"ruvel/internal/listening"
	"ruvel/internal/store"
)

// Limits of one request for peaks.
const (
	mostRanges = 48
	mostPeaks  = 16384
)

// PeakRange says which peaks of a sound are asked for.
type PeakRange struct {
	Level int `path:"level" minimum:"0" maximum:"9"`
	From  int `query:"from" minimum:"0" doc:"The first one"`
	Count int `query:"count" minimum:"1" maximum:"16384" default:"16384"`
}

// run is how many frames a peak stands for.
func (r PeakRange) run() audio.Frames { return 1 << (2 * r.Level) }

func (s *Server) peakRoutes(api huma.API) {
	route(s, api, operation("GET", "/peaks", "get-peaks",
		"Peaks of stretches of several sounds, each as soon as it is there; see docs/api.md"),
		func(ctx context.Context, in *struct {
			Of string `query:"of" required:"true" maxLength:"6000" doc:"Ranges, with commas between them, as sound:level:from:count. A peak of a level stands for 4^level frames, level 0 to 9; at most 48 ranges of 16384 peaks"`
		},
		) (*huma.StreamResponse, error) {
			ranges, err := parseRanges(in.Of)
			if err != nil {
				return nil, err
			}
			if err := s.forget(ctx, ranges); err != nil {
				return nil, fail(err)
			}
			return &huma.StreamResponse{Body: func(hctx huma.Context) {
				r, w := humachi.Unwrap(hctx)
				w.Header().Set("Content-Type", "application/octet-stream")
				w.Header().Set("Cache-Control", "no-store") // those who ask keep the peaks themselves
				s.sendPeaks(r.Context(), w, ranges)
			}}, nil
		})
	route(s, api, operation("GET", "/sounds/{sound}/peaks/{level}", "get-sound-peaks",
		"Peaks of a sound: pairs of little-endian 16-bit integers, the lowest and the highest of all channels, for runs of 4^level frames"),
		func(ctx context.Context, in *struct {
			Sound string `path:"sound" pattern:"^[0-9a-f]{64}$" of:"sound"`
			PeakRange
		},
		) (*bytesAnswer, error) {
			return s.peaksOf(ctx, in.Sound, in.PeakRange)
		})
}

func (s *Server) peaksOf(ctx context.Context, id string, in PeakRange) (*bytesAnswer, error) {
	peaks, err := s.Sounds.PeakRange(ctx, id, in.run(), in.From, in.Count)
	if err != nil {
		return nil, fail(err)
	}
	return &bytesAnswer{"application/octet-stream", forever, waveform.AppendPeaks(nil, peaks)}, nil
}

// soundRange is a range of peaks of one sound, or of none if it is not one of any show.
type soundRange struct {
	sound string
	PeakRange
}

var rangeForm = regexp.MustCompile(`^([0-9a-f]{64}):([0-9]):([0-9]{1,10}):([0-9]{1,5})$`)

func parseRanges(of string) (out []soundRange, err error) {
	for _, part := range strings.Split(of, ",") {
		m := rangeForm.FindStringSubmatch(part)
		if m == nil {
			return nil, newError(http.StatusUnprocessableEntity, fmt.Sprintf("%.100q is no range of peaks. One is written sound:level:from:count.", part), "bad-request")
		}
		r := soundRange{sound: m[1]}
		r.Level, _ = strconv.Atoi(m[2])
		r.From, _ = strconv.Atoi(m[3])
		r.Count, _ = strconv.Atoi(m[4])
		if r.Count < 1 || r.Count > mostPeaks {
			return nil, newError(http.StatusUnprocessableEntity, fmt.Sprintf("A range has 1 to %d peaks, not %d.", mostPeaks, r.Count), "bad-request")
		}
		out = append(out, r)
	}
	if len(out) > mostRanges {
		return nil, newError(http.StatusUnprocessableEntity, fmt.Sprintf("At most %d ranges can be asked for at a time, not %d.", mostRanges, len(out)), "bad-request")
	}
	return out, nil
}

// forget takes the names of sounds that no show has out of ranges.
func (s *Server) forget(ctx context.Context, ranges []soundRange) error {
	var ids []string
	for _, r := range ranges {
		ids = append(ids, r.sound)
	}
	known, err := s.Access.Reach(ctx, access.Make, store.ASound, ids)
	for i := range ranges {
		if !slices.Contains(known, ranges[i].sound) {
			ranges[i].sound = ""
		}
	}
	return err
}

// notThere is said in the place of the number of peaks where a sound cannot be read just now.
const notThere = math.MaxUint32

// readers is how many ranges of a request are read at a time.
const readers = 4

// sendPeaks writes each range as soon as it has been read: its place in the request and the
// number of its peaks, as little-endian uint32, and the peaks. One whose working copy has to
// be made anew keeps none of the others waiting.
func (s *Server) sendPeaks(ctx context.Context, w http.ResponseWriter, ranges []soundRange) {
	var mu sync.Mutex
	c := http.NewResponseController(w)
	defer func() { _ = c.SetWriteDeadline(time.Time{}) }()
	var group errgroup.Group
	group.SetLimit(readers)
	for i, r := range ranges {
		group.Go(func() error {
			out := binary.LittleEndian.AppendUint32(nil, uint32(i))
			peaks, err := s.peaksOfKnown(ctx, r)
			if err != nil {
				out = binary.LittleEndian.AppendUint32(out, notThere)
			} else {
				out = waveform.AppendPeaks(binary.LittleEndian.AppendUint32(out, uint32(len(peaks))), peaks)
			}
			mu.Lock()
			defer mu.Unlock()
			_ = c.SetWriteDeadline(time.Now().Add(listening.Readable))
			if _, err := w.Write(out); err != nil {
				return err
			}
			return c.Flush()
		})
	}
	_ = group.Wait() // whoever asked has gone
}

func (s *Server) peaksOfKnown(ctx context.Context, r soundRange) ([]waveform.Peak, error) {
	if r.sound == "" {
		return nil, audio.ErrUnreadable
	}
	return s.Sounds.PeakRange(ctx, r.sound, r.run(), r.From, r.Count)
}
