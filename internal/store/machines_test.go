package store_test

import (
	"fmt"
	"io"
	"net"
	"regexp"
	"sync"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/problem"
	"ruvel/internal/store"
	"ruvel/testkit/dbtest"
)

var address = regexp.MustCompile(`@[^(]*\([^)]*\)`)

// through gives a way to a database's server that can be cut, as one of several nodes.
func through(t *testing.T, dsn string) (node string, cut func()) {
	t.Helper()
	db, err := sqlx.Connect("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	var port int
	require.NoError(t, db.Get(&port, "SELECT @@port"))
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	var mu sync.Mutex
	var open []net.Conn
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			from, err := l.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", port))
			if err != nil {
				_ = from.Close()
				continue
			}
			mu.Lock()
			open = append(open, from, to)
			mu.Unlock()
			for _, way := range [][2]net.Conn{{from, to}, {to, from}} {
				go func() {
					_, _ = io.Copy(way[1], way[0])
					_ = way[1].Close()
				}()
			}
		}
	}()
	return l.Addr().String(), func() {
		_ = l.Close()
		mu.Lock()
		defer mu.Unlock()
		for _, c := range open {
			_ = c.Close()
		}
	}
}

func TestTheFirstNodeThatAnswersIsUsedAndAnotherWhenItIsGone(t *testing.T) {
	dsn := dbtest.New(t)
	dead, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, dead.Close())
	first, cut := through(t, dsn)
	second, _ := through(t, dsn)
	several := address.ReplaceAllLiteralString(dsn, fmt.Sprintf("@tcp(%s, %s,%s)", dead.Addr(), first, second))
	require.Contains(t, several, ",")
	st, err := store.Open(ctx, several)
	require.NoError(t, err)
	defer st.Close()
	show, err := st.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	cut()
	require.Eventually(t, func() bool {
		_, err := st.Show(ctx, show.ID)
		if err != nil {
			assert.True(t, store.IsAway(err), "%v", err)
		}
		return err == nil
	}, time.Minute, 10*time.Millisecond)
	_, err = store.Open(ctx, address.ReplaceAllLiteralString(dsn, fmt.Sprintf("@tcp(%s,%s)", dead.Addr(), dead.Addr())))
	assert.Error(t, err)
}

func TestManyThatBeginOnOneDatabaseBringItUpToDateOnce(t *testing.T) {
	dsn := dbtest.New(t)
	var all sync.WaitGroup
	for range 5 {
		all.Go(func() {
			st, err := store.Open(ctx, dsn)
			if assert.NoError(t, err) {
				assert.NoError(t, st.Close())
			}
		})
	}
	all.Wait()
}

func TestWhatIsAskedForIsCountedForAllProcessesTogether(t *testing.T) {
	dsn := dbtest.New(t)
	open := func() store.Tally {
		st, err := store.Open(ctx, dsn)
		require.NoError(t, err)
		t.Cleanup(func() { _ = st.Close() })
		return store.Tally{Store: st, Of: "tried"}
	}
	one, two := open(), open()
	now := time.Now().UTC().Truncate(time.Minute)
	before := now.Add(-time.Minute)
	require.NoError(t, one.Increment("page", before))
	var all sync.WaitGroup
	for range 10 {
		for _, tally := range []store.Tally{one, two} {
			all.Go(func() { assert.NoError(t, tally.Increment("page", now)) })
		}
	}
	all.Wait()
	here, earlier, err := two.Get("page", now, before)
	require.NoError(t, err)
	assert.Equal(t, []int{20, 1}, []int{here, earlier})
	here, earlier, err = two.Get("another page", now, before)
	require.NoError(t, err)
	assert.Zero(t, here+earlier)
	here, _, err = store.Tally{Store: two.Store, Of: "sent"}.Get("page", now, before)
	require.NoError(t, err)
	assert.Zero(t, here, "something else is counted by itself")
	_, err = two.Store.PruneSignIns(ctx, -time.Hour)
	require.NoError(t, err)
	here, earlier, err = one.Get("page", now, before)
	require.NoError(t, err)
	assert.Zero(t, here+earlier)
}

func TestEachPartIsMadeOnceUnlessItsMakerIsGone(t *testing.T) {
	st, show, e := open(t)
	job := queued(t, st, show, e)
	var wanted []store.NewPart
	for n := range 12 {
		wanted = append(wanted, store.NewPart{Name: fmt.Sprintf("encoded-%05d", n), Arguments: n})
	}
	require.NoError(t, st.AddParts(ctx, job.ID, wanted))
	_, free, err := st.ClaimPart(ctx, "quay", time.Minute)
	require.NoError(t, err)
	require.False(t, free, "its job is not being done")
	require.True(t, claimed(t, st, job.ID, "quay", time.Minute))
	require.NoError(t, st.AddParts(ctx, job.ID, wanted), "as by another who goes on with it")

	var mu sync.Mutex
	made := map[string]int{}
	var all sync.WaitGroup
	for maker := range 4 {
		all.Go(func() {
			for {
				p, mine, err := st.ClaimPart(ctx, fmt.Sprint("maker ", maker), time.Minute)
				if !assert.NoError(t, err) || !mine {
					return
				}
				mu.Lock()
				made[p.Name]++
				mu.Unlock()
				assert.NoError(t, st.EndPart(ctx, p, nil))
			}
		})
	}
	all.Wait()
	assert.Len(t, made, 12)
	for name, times := range made {
		assert.Equal(t, 1, times, name)
	}
	require.NoError(t, st.AddParts(ctx, job.ID, []store.NewPart{{Name: "late"}}))
	p, mine, err := st.ClaimPart(ctx, "gone", time.Millisecond)
	require.NoError(t, err)
	require.True(t, mine)
	var again store.Part
	require.Eventually(t, func() bool {
		again, mine, err = st.ClaimPart(ctx, "there", time.Minute)
		require.NoError(t, err)
		return mine
	}, time.Minute, time.Millisecond)
	assert.Equal(t, []any{p.Name, 2}, []any{again.Name, again.Attempts})
	no(t)(st.PartAlive(ctx, p, "gone", time.Minute))
	yes(t)(st.PartAlive(ctx, again, "there", time.Minute))
	require.NoError(t, st.FreePart(ctx, again, "there"))
	for range store.MostAttempts - 1 {
		_, mine, err := st.ClaimPart(ctx, "there", -time.Second)
		require.NoError(t, err)
		require.True(t, mine)
	}
	_, mine, err = st.ClaimPart(ctx, "there", time.Minute)
	require.NoError(t, err)
	assert.False(t, mine, "it is given up")
	require.NoError(t, st.EndPart(ctx, again, &problem.Problem{Code: "sound-unreadable", Message: "gone"}))
	parts, err := st.Parts(ctx, job.ID)
	require.NoError(t, err)
	assert.Equal(t, "sound-unreadable", parts["late"].Problem.Of.Code)

	needed, err := st.ForgetParts(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[string]bool{job.ID: true}, needed)
	yes(t)(st.Cancel(ctx, job.ID))
	needed, err = st.ForgetParts(ctx)
	require.NoError(t, err)
	assert.Empty(t, needed)
}

func TestAProcessIsThereAsLongAsItSaysSo(t *testing.T) {
	st, _, _ := open(t)
	for n, owner := range []string{"one", "two", "one"} {
		there, err := st.Present(ctx, owner, time.Minute)
		require.NoError(t, err)
		assert.Equal(t, min(n+1, 2), there)
	}
	require.Eventually(t, func() bool {
		there, err := st.Present(ctx, "two", 5*time.Millisecond)
		require.NoError(t, err)
		return there == 1
	}, time.Minute, 10*time.Millisecond)
}
