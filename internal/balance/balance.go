// Package balance says how the parts of an episode stand to each other, and what would change that: how far speech leads, how tracks would
// make way for it, how voices come to the same loudness, how a voice is treated, how loud the whole is.
package balance

import (
	lru "github.com/hashicorp/golang-lru/v2"

	"ruvel/core/mix"
	"ruvel/internal/flight"
	"ruvel/internal/measure"
	"ruvel/internal/plans"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/turns"
)

// Balancer says it of the episodes of all shows. It is safe for use by many goroutines.
type Balancer struct {
	Store   *store.Store
	Plans   *plans.Plans
	Measure *measure.Measurer
	Sounds  *sounds.Sounds
	Turns   *turns.Turns

	outlines  *flight.Group[mix.Silhouette] // that are being computed
	estimates *flight.Group[Estimated]
	balances  *flight.Group[Balance]
	evening   *flight.Group[things]
	evened    *lru.Cache[string, things] // by version
}

// kept is how many answers are kept that take long to work out. Of the longest sessions one takes a megabyte.
const kept = 24

// New makes a balancer of what it rests on.
func New(of Balancer) *Balancer {
	of.outlines = flight.New[mix.Silhouette](1)
	of.estimates = flight.New[Estimated](1)
	of.balances = flight.New[Balance](1)
	of.evening = flight.New[things](0)
	of.evened, _ = lru.New[string, things](kept) // whose only error is a size of 0
	return &of
}
