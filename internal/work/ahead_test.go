package work

import (
	"context"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"uchi/internal/core/verdict"
)

// Somebody changes a record while the rows before its row are written, and those with its row ahead of their turn:
// what was written ahead is taken back, and the row is set aside, or what they say comes after it.
func TestSomebodyComesBetweenTwoChunks(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name,Job title\nK-1,Berg,Mate\nK-2,Li,Cook\nK-3,Moe,Pilot\nK-4,Ek,Stoker\n")
	i := b.check(b.upload("contact", "Ref,Family name,Job title\nK-1,Berg,Master\nK-2,Li,Chef\nK-3,Moe,Rower\n"+
		"K-4,Ek,Fitter\nK-5,Ny,Diver\nK-6,Dal,Guard\n"))
	changed := b.meanwhile("changes records", b.pilot)
	i = b.load(i)
	<-changed
	b.want(i.Outcomes.V[verdict.Updated]+i.Outcomes.V[verdict.Held], int64(4)) // who is quick comes after both
	for n, title := range []string{"Master", "Chef", "Harbour pilot", "Fitter"} {
		b.want(b.record("contact", fmt.Sprint("CON-", n+1)).Values["job_title"], title)
	}
	b.agree(i)
}

// The same of an undo: a value that somebody changes meanwhile stays, and what was taken back ahead is taken back in
// its turn.
func TestSomebodyComesBetweenTwoChunksOfAnUndo(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name,Job title\nK-1,Berg,Mate\nK-2,Li,Cook\nK-3,Moe,Pilot\nK-4,Ek,Stoker\n")
	i := b.load(b.check(b.upload("contact", "Ref,Family name,Job title\nK-1,Berg,Master\nK-2,Li,Chef\nK-3,Moe,Rower\n"+
		"K-4,Ek,Fitter\n")))
	changed := b.meanwhile("takes back", b.pilot)
	i = b.undo(i, UndoRequest{})
	<-changed
	for n, title := range []string{"Mate", "Cook", "Harbour pilot", "Stoker"} {
		b.want(b.record("contact", fmt.Sprint("CON-", n+1)).Values["job_title"], title)
	}
	b.agree(i)
}

// What somebody links while a load is taken back is seen by every chunk that comes after, not by the next alone:
// a record further behind, to which something new points, stays.
func TestSomebodyLinksBetweenTwoChunksOfAnUndo(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name\nK-9,Vik\n")
	i := b.load(b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\nK-3,Moe\nK-4,Ek\nK-5,Ny\nK-6,Dal\n")))
	linked := b.meanwhile("takes back", func() error {
		_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 0, map[string]string{"reports_to": "CON-2"}, b.person)
		return err
	})
	i = b.undo(i, UndoRequest{})
	<-linked
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "undone": 5})
	b.want(b.record("contact", "CON-2").Values["family_name"], "Berg")
	b.agree(i)
}

// pilot makes somebody change the third contact.
func (b *bench) pilot() error {
	_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-3", 0,
		map[string]string{"job_title": "Harbour pilot"}, b.person)
	return err
}

// meanwhile makes somebody act while a chunk does a step, and the other wait for that where it can. What it gives
// is closed when they have.
func (b *bench) meanwhile(during string, act func() error) <-chan struct{} {
	done := make(chan struct{})
	var calls atomic.Int32
	b.room.FailAt(func(step string) error {
		if step != during {
			return nil
		}
		switch calls.Add(1) {
		case 1: // of the one or the other
			go func() {
				defer close(done)
				if err := act(); err != nil {
					b.Error(err)
				}
			}()
			b.untilLocked()
		case 2:
			select {
			case <-done:
			case <-time.After(time.Second):
			}
		}
		return nil
	})
	return done
}

// untilLocked waits until somebody waits for a record type that another has locked.
func (b *bench) untilLocked() {
	for range 200 {
		var waits bool
		err := b.store.Pool().QueryRow(context.WithoutCancel(b.Context()), `select exists (select from pg_stat_activity
			where wait_event_type = 'Lock' and query like '%record_types%')`).Scan(&waits)
		if err != nil || waits {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
}

// Two rows that are written side by side cannot wait for each other: the first has what both would have.
func TestTwoChunksForOneKey(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\nK-3,Berg\nK-4,Ek\nK-5,Li\nK-6,Ny\n"))
	_, err := b.store.Pool().Exec(b.Context(), `create unique index on w_main.r_contact (f_family_name)`)
	b.ok(err)
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 4, "failed": 2})
	b.want(strings.Join(b.codes(i), "\n"), "4 write_refused \n6 write_refused ")
	b.agree(i)
}
