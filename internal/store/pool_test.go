package store_test

import (
	"context"
	"database/sql"
	"errors"
	"testing"

	"github.com/jmoiron/sqlx"

	"celator/internal/store"
	"celator/internal/testdb"
)

// A request that is withdrawn just before its transaction is committed was withdrawn; it
// is no fault of the server.
func TestWithdrawnBeforeCommit(t *testing.T) {
	st, _ := testdb.Open(t)
	ctx, withdraw := context.WithCancel(context.Background())
	err := store.Tx(st, ctx, func(tx *sqlx.Tx) error {
		withdraw()
		for { // until the driver has rolled it back
			if _, err := tx.ExecContext(context.Background(), "SELECT 1"); errors.Is(err, sql.ErrTxDone) {
				return nil
			}
		}
	})
	if !errors.Is(err, context.Canceled) {
		t.Errorf("%v", err)
	}
}
