// Package balance says how the parts of an episode stand to each other, and what would change that: how far speech leads, how tracks would
// make way for it, how voices come to the same loudness, how a voice is treated, how loud the whole is.
package balance

import (
	lru "github.com/hashicorp/golang-lru/v2"

	"ruvel/core/mix"
	"ruvel/internal/measure"
	"ruvel/internal/plans"
	"ruvel/internal/share"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/turns"
)

// Balancer says it of the episodes of all shows. It is safe for use by many goroutines.
type Balancer struct {
	Store   *store.Store
	Plans   *plans.Plans
	Measure *measure.Measurer
	Sounds  *sounds.Library
	Turns   *turns.Turns

	outlines  *share.Group[mix.Silhouette] // that are being computed
	estimates *share.Group[Estimated]
	balances  *share.Group[Balance]
	evening   *share.Group[things]
	evened    *lru.Cache[string, things] // by version
}

// kept is how many answers are kept that take long to work out. Of the longest sessions one takes a megabyte.
const kept = 24

// New makes a balancer of what it rests on.
func New(of Balancer) *Balancer {
	of.outlines = share.New[mix.Silhouette](1)
	of.estimates = share.New[Estimated](1)
	of.balances = share.New[Balance](1)
	of.evening = share.New[things](0)
	of.evened, _ = lru.New[string, things](kept) // whose only error is a size of 0
	return &of
}
