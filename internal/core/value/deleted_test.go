package value

import "testing"

// Columns of deleted records are known by their headers, and what in them says so is told from what does not.
func TestDeleted(t *testing.T) {
	for header, want := range map[string]bool{"DEL_FLG": true, "IsDeleted": true, "Deleted?": true, "Gelöscht am": true,
		"deleted_at": true, "supprimé": true, "削除フラグ": true, "Delivery": false, "Model": false, "del": false, "Active": false,
		"Deleted by": false} {
		if got := SaysDeleted(header); got != want {
			t.Errorf("%s: %v", header, got)
		}
	}
	for cell, want := range map[string]bool{"Y": true, "1": true, "x": true, "ja": true, "true": true, "deleted": true,
		"gelöscht": true, "2026-01-03": true, "03.01.2026 10:22": true, "N": false, "0": false, "": false, "nein": false,
		"0000-00-00": false, "9999-12-31": false, "-": false, "null": false, "perhaps": false} {
		if got := IsDeleted(cell); got != want {
			t.Errorf("%q: %v", cell, got)
		}
	}
}
