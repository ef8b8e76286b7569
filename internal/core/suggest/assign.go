package suggest

// assign gives each column at most one field and each field at most one
// column, so that the sum of the squared confidences is the greatest. (Plain
// sums favour many weak pairs over one strong; squares do not.) What is not certain
// counts for little: no guess for one column moves another from where it surely goes.
// The result names a field for each column, -1 for none.
//
// The time is that of the smaller side squared times the greater: a sheet of
// thousands of columns costs no more a column than one of ten.
func assign(scores [][]float64) []int {
	columns := len(scores)
	if columns == 0 {
		return nil
	}
	fields := len(scores[0])
	out := make([]int, columns)
	for c := range out {
		out[c] = -1
	}
	if columns <= fields {
		for c, f := range cheapest(columns, fields, func(c, f int) float64 { return -worth(scores[c][f]) }) {
			if f >= 0 && scores[c][f] > 0 {
				out[c] = f
			}
		}
		return out
	}
	for f, c := range cheapest(fields, columns, func(f, c int) float64 { return -worth(scores[c][f]) }) {
		if c >= 0 && scores[c][f] > 0 {
			out[c] = f
		}
	}
	return out
}

func worth(confidence float64) float64 {
	if confidence < certain {
		return confidence * confidence / 100
	}
	return confidence * confidence
}

// cheapest gives each of some rows at most one of the columns and each column at
// most one row, at the least cost, where to go without costs 0: the Hungarian
// method (Kuhn 1955, Munkres 1957) with shortest augmenting paths (Jonker and
// Volgenant 1987), in time rows² × (rows + columns). It names a column for each
// row, -1 for none.
func cheapest(rows, columns int, cost func(row, column int) float64) []int {
	n := columns + rows // room for every row to go without
	const far = 1e18
	// Rows and columns count from 1 here; column 0 stands for the row that looks
	// for a place.
	u, v := make([]float64, rows+1), make([]float64, n+1)
	match, way := make([]int, n+1), make([]int, n+1)
	least, used := make([]float64, n+1), make([]bool, n+1)
	for r := 1; r <= rows; r++ {
		match[0] = r
		at := 0
		for j := range least {
			least[j], used[j] = far, false
		}
		for {
			used[at] = true
			row, delta, next := match[at], far, 0
			for j := 1; j <= n; j++ {
				if used[j] {
					continue
				}
				d := -u[row] - v[j]
				if j <= columns {
					d += cost(row-1, j-1)
				}
				if d < least[j] {
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
	out := make([]int, rows)
	for r := range out {
		out[r] = -1
	}
	for j := 1; j <= columns; j++ {
		if r := match[j]; r > 0 {
			out[r-1] = j - 1
		}
	}
	return out
}
