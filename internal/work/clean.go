package work

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/store"
)

// Settings are what an administrator has set for the whole service.
func (s *Service) Settings(ctx context.Context) (store.Settings, error) { return s.store.Settings(ctx) }

// SetSettings changes them.
func (s *Service) SetSettings(ctx context.Context, set store.Settings, by store.Person) error {
	return s.store.SetSettings(ctx, set, by.ID)
}

// unfinishedAfter is when an upload of which no import came is taken for given up.
const unfinishedAfter = time.Hour

// keepViewIndexes is how long an index is kept that records were looked for by, and are not any more.
const keepViewIndexes = 30 * 24 * time.Hour

// Clean removes what nobody needs any more: staging of runs that have ended,
// uploads of which nothing came, and the sources and results of imports past
// their time. Records, history and log stay. It runs by itself now and then, in
// one process at a time.
func (s *Service) Clean(ctx context.Context) error {
	return s.store.Alone(ctx, func() error {
		tables, err := s.room.DropLeftovers(ctx)
		if err != nil {
			return err
		}
		set, err := s.store.Settings(ctx)
		if err != nil {
			return err
		}
		files, err := s.store.DropFiles(ctx, time.Duration(set.KeepDays)*24*time.Hour)
		if err != nil {
			return err
		}
		exports, err := s.store.DropExports(ctx, keepExports)
		if err != nil {
			return err
		}
		indexes, err := s.store.DropViewIndexes(ctx, keepViewIndexes)
		if err != nil {
			return err
		}
		uploads, err := s.store.DropUnfinished(ctx, unfinishedAfter)
		if err != nil {
			return err
		}
		past, err := s.store.PastTheirTime(ctx, time.Duration(set.KeepDays)*24*time.Hour)
		if err != nil {
			return err
		}
		for _, id := range past {
			if err := s.store.ForgetSource(ctx, id); err != nil {
				return fmt.Errorf("clean import %d: %w", id, err)
			}
			if err := s.room.DropAll(ctx, id); err != nil {
				return fmt.Errorf("clean import %d: %w", id, err)
			}
		}
		if tables+int(uploads+files+exports)+len(past)+indexes > 0 {
			s.opt.Log.Info("cleaned up", "tables", tables, "indexes", indexes, "files", files, "exports", exports, "uploads",
				uploads, "imports", len(past))
		}
		return nil
	})
}
