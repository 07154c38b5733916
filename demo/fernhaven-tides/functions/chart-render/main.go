// Draws the levels of a station as an SVG chart: one event a line comes in, one answer a line goes out.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"log"
	"os"
	"strings"
)

const width, height = 240, 80

type station struct{ Name, Colour string }

func main() {
	// In its image the function starts in the folder that its files lie in.
	text, err := os.ReadFile("stations.json")
	if err != nil {
		log.Fatal(err)
	}
	var stations map[string]station
	if err := json.Unmarshal(text, &stations); err != nil {
		log.Fatal(err)
	}
	answers := json.NewEncoder(os.Stdout)
	answers.SetEscapeHTML(false)
	for events := bufio.NewScanner(os.Stdin); events.Scan(); {
		var event struct {
			Data struct {
				Station string
				Levels  []float64
			}
		}
		if err := json.Unmarshal(events.Bytes(), &event); err != nil {
			log.Fatal(err)
		}
		known, ok := stations[event.Data.Station]
		if !ok {
			log.Printf("no station %q, drawn without a name", event.Data.Station)
			known = station{event.Data.Station, "#555"}
		}
		answers.Encode(map[string]any{"station": known.Name, "svg": draw(known, event.Data.Levels)})
	}
}

func draw(of station, levels []float64) string {
	var points []string
	low, high := extremes(levels)
	for i, level := range levels {
		x := float64(width) * float64(i) / float64(max(1, len(levels)-1))
		y := float64(height) * (1 - (level-low)/(high-low))
		points = append(points, fmt.Sprintf("%.0f,%.0f", x, y))
	}
	return fmt.Sprintf("<svg viewBox='0 0 %d %d'><polyline fill='none' stroke='%s' points='%s'/></svg>",
		width, height, of.Colour, strings.Join(points, " "))
}

func extremes(levels []float64) (low, high float64) {
	low, high = 0, 1
	for i, level := range levels {
		if i == 0 || level < low {
			low = level
		}
		if i == 0 || level > high {
			high = level
		}
	}
	if high == low {
		high = low + 1
	}
	return low, high
}

func max(a, b int) int {
	if a > b {
		return a
	}
	return b
}
