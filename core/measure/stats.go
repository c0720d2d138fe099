package measure

import "math"

// Quantile gives the quantile of sorted values at a share from 0 to 1, by method 7 of Hyndman
// and Fan (Sample quantiles in statistical packages, The American Statistician 50, 1996):
// between the two values next to (n-1)p. Of no values it is 0.
func Quantile(sorted []float64, p float64) float64 {
	if len(sorted) == 0 {
		return 0
	}
	at := float64(len(sorted)-1) * min(1, max(0, p))
	low := int(math.Floor(at))
	high := min(low+1, len(sorted)-1)
	return sorted[low] + (at-float64(low))*(sorted[high]-sorted[low])
}

// MedianInterval gives the interval in which the median of all such values lies with at least
// 95 %, by order statistics of the binomial distribution (Conover, Practical Nonparametric
// Statistics, the quantile test). Of fewer than six values there is none.
func MedianInterval(sorted []float64) (lo, hi float64, ok bool) {
	n := len(sorted)
	k := rank(n)
	if k == 0 {
		return 0, 0, false
	}
	return sorted[k-1], sorted[n-k], true
}

// rank gives the rank, counted from 1, at which the interval of the median of n values begins;
// 0 where there is none. It is the largest k with P(X < k) ≤ 2.5 %, X being binomial of n and a half.
func rank(n int) int {
	log := -float64(n) * math.Ln2 // of P(X = 0)
	sum, k := 0.0, 0
	for {
		sum += math.Exp(log)
		if sum > .025 || k >= n/2 {
			return k
		}
		k++
		log += math.Log(float64(n-k+1)) - math.Log(float64(k))
	}
}
