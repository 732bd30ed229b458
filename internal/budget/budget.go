// Package budget bounds what reading foreign input may take: fuzz targets fail on input that makes its
// reader slow or swell, not only on input that makes it fail.
package budget

import (
	"runtime"
	"syscall"
	"testing"
	"time"
)

// Budget is how much time and memory reading an input may take.
type Budget struct {
	Time  time.Duration // of processors
	Bytes uint64        // allocated in all
}

// Of is the usual budget for an input of so many bytes: a base for what any reading takes, and so much
// for each byte. The times are generous, since processors differ: what they catch is input whose cost
// grows faster than its length.
func Of(length int) Budget {
	return Budget{
		Time:  5*time.Second + time.Duration(length)*20*time.Microsecond,
		Bytes: 16<<20 + uint64(length)*2048,
	}
}

// Times returns a budget that is some times as large.
func (b Budget) Times(n int) Budget {
	return Budget{b.Time * time.Duration(n), b.Bytes * uint64(n)}
}

// Check does work and reports when it took more than the budget. Time and memory are those of the whole
// process meanwhile, whatever else the machine does: tests that check them do not run in parallel.
func (b Budget) Check(t testing.TB, work func()) {
	t.Helper()
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	began := spent(t)
	work()
	took := spent(t) - began
	runtime.ReadMemStats(&after)
	if took > b.Time {
		t.Errorf("it took %s, of %s that it may", took, b.Time)
	}
	if swelled := after.TotalAlloc - before.TotalAlloc; swelled > b.Bytes {
		t.Errorf("it took %d bytes, of %d that it may", swelled, b.Bytes)
	}
}

// spent is how long processors worked for this process so far.
func spent(t testing.TB) time.Duration {
	t.Helper()
	var used syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &used); err != nil {
		t.Fatal(err)
	}
	return time.Duration(used.Utime.Nano() + used.Stime.Nano())
}
