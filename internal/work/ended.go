package work

import "sync"

// endings tells those who follow an import at once that a run of it has ended in
// this process. What ends in another process they see when they next look.
type endings struct {
	mu      sync.Mutex
	waiting map[int64]map[chan struct{}]struct{} // by import
}

// Ended gives a channel that receives when a run of an import ends here; several
// ends that nobody has received are one. The function must be called when nobody
// listens any more.
func (s *Service) Ended(importID int64) (<-chan struct{}, func()) {
	e := &s.ended
	c := make(chan struct{}, 1)
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.waiting == nil {
		e.waiting = map[int64]map[chan struct{}]struct{}{}
	}
	if e.waiting[importID] == nil {
		e.waiting[importID] = map[chan struct{}]struct{}{}
	}
	e.waiting[importID][c] = struct{}{}
	return c, func() {
		e.mu.Lock()
		defer e.mu.Unlock()
		delete(e.waiting[importID], c)
		if len(e.waiting[importID]) == 0 {
			delete(e.waiting, importID)
		}
	}
}

// tell tells that a run of an import has ended.
func (e *endings) tell(importID int64) {
	e.mu.Lock()
	defer e.mu.Unlock()
	for c := range e.waiting[importID] {
		select {
		case c <- struct{}{}:
		default: // it has not received the last one yet
		}
	}
}
