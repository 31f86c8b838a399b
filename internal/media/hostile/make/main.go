// Command make writes the hostile files into a folder and says what each was
// made to do.
package main

import (
	"context"
	"fmt"
	"os"

	"nelko/internal/media/hostile"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: make FOLDER")
		os.Exit(2)
	}
	err := os.MkdirAll(os.Args[1], 0o755)
	if err == nil {
		err = hostile.Make(context.Background(), os.Args[1])
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	for _, f := range hostile.Files() {
		fmt.Printf("%-16s %s\n", f.Name, f.Does)
	}
}
