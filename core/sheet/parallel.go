package sheet

import (
	"runtime"
	"sync"
)

// parallel runs n independent pieces of work on the cores there are.
func parallel(n int, work func(k int)) {
	var wait sync.WaitGroup
	slots := make(chan struct{}, runtime.GOMAXPROCS(0))
	for k := range n {
		slots <- struct{}{}
		wait.Go(func() {
			defer func() { <-slots }()
			work(k)
		})
	}
	wait.Wait()
}
