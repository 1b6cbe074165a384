// Command bench measures the numbers that Ricetta has to hold and prints them beside
// their targets. Machines are shared and noisy, so every figure is the best of
// several rounds, and the comparison with and without SIMD is a ratio within one
// run. `make bench` runs it; `make accuracy` runs it with -accuracy.
package main

import (
	"flag"
	"fmt"
	"os"
	"runtime"
	"testing"
	"text/tabwriter"

	"ricetta/core/raster"
)

func main() {
	testing.Init()
	accuracy := flag.Bool("accuracy", false, "measure exactness instead of speed")
	part := flag.String("part", "", "measure only this part of the table: demo, eight, trial, kinds, codes, texts, kernels, store, statistics, change, load; of accuracy: tins, datums, counts, measures, looks, colors, codes")
	flag.DurationVar(&loadFor, "for", loadFor, "how long the load of two stations lasts")
	flag.IntVar(&pastItems, "items", pastItems, "how many items the statistics are asked over")
	flag.Parse()
	w := tabwriter.NewWriter(os.Stdout, 0, 4, 2, ' ', 0)
	var err error
	if *accuracy {
		err = printAccuracy(w, *part)
	} else {
		fmt.Printf("%s/%s, %d processors, kernels with %s; best of %d rounds\n\n", runtime.GOOS, runtime.GOARCH, runtime.NumCPU(), raster.SIMD(), rounds)
		err = printSpeed(w, *part)
	}
	if ferr := w.Flush(); err == nil {
		err = ferr
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
