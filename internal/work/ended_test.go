package work

import "testing"

// Who follows an import hears of its runs and of no others, once for all ends
// that were not received, and not any more when it has stopped.
func TestEnded(t *testing.T) {
	var s Service
	first, stop := s.Ended(1)
	again, stopAgain := s.Ended(1)
	other, stopOther := s.Ended(2)
	defer stopOther()
	s.ended.tell(1)
	s.ended.tell(1)
	heard := func(c <-chan struct{}) (n int) {
		for {
			select {
			case <-c:
				n++
			default:
				return n
			}
		}
	}
	if a, b, c := heard(first), heard(again), heard(other); a != 1 || b != 1 || c != 0 {
		t.Errorf("heard %d, %d and of another import %d; want 1, 1, 0", a, b, c)
	}
	stop()
	s.ended.tell(1)
	if a, b := heard(first), heard(again); a != 0 || b != 1 {
		t.Errorf("after one has stopped they heard %d and %d; want 0 and 1", a, b)
	}
	stopAgain()
	if len(s.ended.waiting) != 1 {
		t.Errorf("%d imports are followed, want 1", len(s.ended.waiting))
	}
}
