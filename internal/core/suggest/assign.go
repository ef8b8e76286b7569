package suggest

// assign gives each column at most one field and each field at most one
// column, so that the sum of the confidences is the greatest: the Hungarian
// method (Kuhn 1955, Munkres 1957) with shortest augmenting paths (Jonker and
// Volgenant 1987). The result names a field for each column, -1 for none.
func assign(scores [][]float64) []int {
	columns := len(scores)
	if columns == 0 {
		return nil
	}
	fields := len(scores[0])
	n := columns + fields // room for every column to stay without a field
	cost := func(c, f int) float64 {
		if c >= columns || f >= fields {
			return 0
		}
		// Sums favour many weak pairs over one strong; squares do not.
		return -scores[c][f] * scores[c][f]
	}
	const far = 1e18
	u, v := make([]float64, n+1), make([]float64, n+1)
	match, way := make([]int, n+1), make([]int, n+1)
	for c := 1; c <= columns; c++ {
		match[0] = c
		at := 0
		least, used := make([]float64, n+1), make([]bool, n+1)
		for j := range least {
			least[j] = far
		}
		for {
			used[at] = true
			row, delta, next := match[at], far, 0
			for j := 1; j <= n; j++ {
				if used[j] {
					continue
				}
				if d := cost(row-1, j-1) - u[row] - v[j]; d < least[j] {
					least[j], way[j] = d, at
				}
				if least[j] < delta {
					delta, next = least[j], j
				}
			}
			for j := 0; j <= n; j++ {
				if used[j] {
					u[match[j]] += delta
					v[j] -= delta
				} else {
					least[j] -= delta
				}
			}
			at = next
			if match[at] == 0 {
				break
			}
		}
		for at != 0 {
			match[at], at = match[way[at]], way[at]
		}
	}
	out := make([]int, columns)
	for c := range out {
		out[c] = -1
	}
	for j := 1; j <= fields; j++ {
		if c := match[j]; c > 0 && scores[c-1][j-1] > 0 {
			out[c-1] = j - 1
		}
	}
	return out
}
