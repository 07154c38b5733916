// Draws the levels of a station as an SVG chart. It listens on the port in PORT, as its host wants it: events come by the HTTP
// binding of CloudEvents, in binary mode their data as the body, in structured mode the whole event.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log"
	"net/http"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"
)

const width, height = 240, 80
const mostBytes = 1 << 20

type station struct{ Name, Colour string }

type asked struct {
	Station string
	Levels  []float64
}

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
	http.HandleFunc("/ready", func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, "ready\n") })
	http.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		data, err := read(r)
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		known, ok := stations[data.Station]
		if !ok {
			log.Printf("no station %q, drawn without a name", data.Station)
			known = station{data.Station, "#555"}
		}
		w.Header().Set("content-type", "application/json")
		answer := json.NewEncoder(w)
		answer.SetEscapeHTML(false)
		answer.Encode(map[string]any{"station": known.Name, "svg": draw(known, data.Levels)})
	})
	server := &http.Server{Addr: ":" + os.Getenv("PORT"), ReadHeaderTimeout: 5 * time.Second}
	go func() {
		// What has begun is answered, then it ends.
		stop := make(chan os.Signal, 1)
		signal.Notify(stop, syscall.SIGTERM)
		<-stop
		server.Shutdown(context.Background())
	}()
	if err := server.ListenAndServe(); err != http.ErrServerClosed {
		log.Fatal(err)
	}
}

func read(r *http.Request) (data asked, err error) {
	body, err := io.ReadAll(http.MaxBytesReader(nil, r.Body, mostBytes))
	if err != nil {
		return data, err
	}
	if strings.HasPrefix(r.Header.Get("content-type"), "application/cloudevents") {
		var event struct{ Data asked }
		err = json.Unmarshal(body, &event)
		return event.Data, err
	}
	return data, json.Unmarshal(body, &data)
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
