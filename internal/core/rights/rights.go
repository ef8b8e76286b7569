// Package rights says what people may do: the roles, and which covers which. It
// knows no people, no database and no face.
package rights

// Role says what a person may do; each role may do what those before it may.
type Role string

// The roles. None is that of who may not even look.
const (
	None          Role = "none"
	Viewer        Role = "viewer"
	Operator      Role = "operator"
	Administrator Role = "administrator"
)

// Roles lists the roles that let somebody in, the least first.
var Roles = []Role{Viewer, Operator, Administrator}

var rank = map[Role]int{Viewer: 1, Operator: 2, Administrator: 3}

// Covers reports whether the role may do what need may.
func (r Role) Covers(need Role) bool { return rank[r] >= rank[need] }

// Valid reports whether there is such a role, and it lets somebody in.
func (r Role) Valid() bool { return rank[r] > 0 }
