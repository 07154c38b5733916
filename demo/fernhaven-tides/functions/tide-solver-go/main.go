// Predicts the water level from tidal constituents: one event a line comes in, one answer a line goes out.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"log"
	"math"
	"os"
	"path/filepath"
	"strconv"
)

func main() {
	// The host starts us in another folder; the table lies beside the executable.
	self, _ := os.Executable()
	table, err := os.Open(filepath.Join(filepath.Dir(self), "constituents.txt"))
	if err != nil {
		log.Fatal(err)
	}
	var rows [][3]float64
	for lines := bufio.NewScanner(table); lines.Scan(); {
		var name string
		var row [3]float64
		if n, _ := fmt.Sscan(lines.Text(), &name, &row[0], &row[1], &row[2]); n == 4 {
			rows = append(rows, row)
		}
	}
	mean, _ := strconv.ParseFloat(os.Getenv("MEAN_LEVEL_CM"), 64)
	for events := bufio.NewScanner(os.Stdin); events.Scan(); {
		var event struct{ Data struct{ Hours float64 } }
		if err := json.Unmarshal(events.Bytes(), &event); err != nil {
			log.Fatal(err)
		}
		level := mean
		for _, row := range rows {
			level += row[1] * math.Cos((row[0]*event.Data.Hours-row[2])*math.Pi/180)
		}
		fmt.Printf("{\"levelCm\":%.1f}\n", level)
	}
}
