package store_test

import (
	"database/sql"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/internal/store"
	"ruvel/testkit/dbtest"
)

func TestFactsAreKeptByTheirKeysAndForgottenWhenNobodyAsks(t *testing.T) {
	st, _, _ := open(t)
	facts := map[store.FactsKey][]byte{}
	var keys []store.FactsKey
	for i := range 450 { // more than are asked for at a time
		k := store.FactsKey{byte(i), byte(i >> 8), 7}
		keys = append(keys, k)
		facts[k] = []byte{byte(i), 1, 2}
	}
	require.NoError(t, st.KeepFacts(ctx, facts))
	require.NoError(t, st.KeepFacts(ctx, map[store.FactsKey][]byte{keys[0]: {9}}), "twice is no fault")
	got, err := st.Facts(ctx, append(keys, store.FactsKey{255, 255, 255}))
	require.NoError(t, err)
	assert.Equal(t, facts, got, "what was kept first stays")
	none, err := st.Facts(ctx, nil)
	require.NoError(t, err)
	assert.Empty(t, none)
	require.NoError(t, st.KeepFacts(ctx, nil))

	db, err := sql.Open("mysql", dbtest.Latest(t))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(`UPDATE facts SET used = CURRENT_DATE - INTERVAL 61 DAY WHERE id < ?`, keys[100][:])
	require.NoError(t, err)
	var old int64
	require.NoError(t, db.QueryRow(`SELECT COUNT(*) FROM facts WHERE used < CURRENT_DATE`).Scan(&old))
	require.Positive(t, old)
	_, err = st.Facts(ctx, keys[:1]) // which is asked for, so it is of today again
	require.NoError(t, err)
	gone, err := st.ForgetFacts(ctx, 60*24*time.Hour)
	require.NoError(t, err)
	assert.Equal(t, old-1, gone)
	left, err := st.Facts(ctx, keys)
	require.NoError(t, err)
	assert.Contains(t, left, keys[0])
}
