package sheet

import (
	"fmt"
	"runtime"
	"sync"
	"sync/atomic"
)

// parallel runs n independent pieces of work on the cores there are. A panic in one is the
// caller's.
func parallel(n int, work func(k int)) {
	var wait sync.WaitGroup
	var failed atomic.Value
	slots := make(chan struct{}, runtime.GOMAXPROCS(0))
	for k := range n {
		slots <- struct{}{}
		wait.Go(func() {
			defer func() {
				<-slots
				if p := recover(); p != nil {
					failed.Store(fmt.Sprint(p))
				}
			}()
			work(k)
		})
	}
	wait.Wait()
	if p := failed.Load(); p != nil {
		panic(p)
	}
}
