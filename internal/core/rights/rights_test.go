package rights_test

import (
	"testing"

	"uchi/internal/core/rights"
)

func TestRolesCoverThoseBefore(t *testing.T) {
	all := append([]rights.Role{rights.None}, rights.Roles...)
	for a, x := range all {
		for b, y := range all {
			if x.Covers(y) != (a >= b) {
				t.Errorf("%s covers %s: %v", x, y, x.Covers(y))
			}
		}
		if x.Valid() != (a > 0) {
			t.Errorf("%s is valid: %v", x, x.Valid())
		}
	}
	if rights.Role("owner").Valid() || rights.Role("owner").Covers(rights.Viewer) {
		t.Error("a role that is not there lets somebody in")
	}
}
