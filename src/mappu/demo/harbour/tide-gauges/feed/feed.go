// Package feed is for anybody who wants to know how high the water stands.
package feed

import (
	"encoding/json"
	"errors"
	"net/http"
	"regexp"
	"strconv"
	"strings"

	"saltmarsh.example/tide-gauges/store"
)

var gaugeCode = regexp.MustCompile(`^[A-Z0-9]{6}$`)

type desk struct {
	gauges *store.Store
}

func Handler(gauges *store.Store) http.Handler {
	d := &desk{gauges: gauges}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /feed/{gauge}", d.latest)
	mux.HandleFunc("GET /feed/{gauge}/highest", d.highest)
	mux.HandleFunc("GET /feed/near", d.near)
	mux.HandleFunc("POST /feed/subscriptions", d.subscribe)
	mux.HandleFunc("POST /feed/remarks", d.remark)
	mux.HandleFunc("POST /feed/corrections", d.correct)
	return mux
}

func (d *desk) latest(w http.ResponseWriter, r *http.Request) {
	gauge := r.PathValue("gauge")
	if !gaugeCode.MatchString(gauge) {
		http.NotFound(w, r)
		return
	}
	rows, err := d.gauges.Latest(gauge)
	if err != nil {
		http.Error(w, "later", http.StatusInternalServerError)
		return
	}
	json.NewEncoder(w).Encode(rows)
}

// How high it stood in the last hours: one, unless somebody asks for more.
func (d *desk) highest(w http.ResponseWriter, r *http.Request) {
	gauge := r.PathValue("gauge")
	hours := 1
	if asked := r.URL.Query().Get("hours"); asked != "" {
		number, err := strconv.Atoi(asked)
		if err != nil || number < 1 || number > 48 {
			http.Error(w, "1 to 48 hours", http.StatusBadRequest)
			return
		}
		hours = number
	}
	if !gaugeCode.MatchString(gauge) {
		http.NotFound(w, r)
		return
	}
	rows, err := d.gauges.Latest(gauge)
	if err != nil {
		http.Error(w, "later", http.StatusInternalServerError)
		return
	}
	json.NewEncoder(w).Encode(rows[:min(hours, len(rows))])
}

func degrees(r *http.Request, name string, most float64) (float64, error) {
	value, err := strconv.ParseFloat(r.URL.Query().Get(name), 64)
	if err != nil {
		return 0, err
	}
	if !(value >= -most && value <= most) {
		return 0, errors.New("off the map")
	}
	return value, nil
}

func (d *desk) near(w http.ResponseWriter, r *http.Request) {
	lat, err := degrees(r, "lat", 90)
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	lon, err := degrees(r, "lon", 180)
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	json.NewEncoder(w).Encode(map[string]float64{"lat": lat, "lon": lon})
}

// Whatever is sent is kept, and called back later on.
func (d *desk) subscribe(w http.ResponseWriter, r *http.Request) {
	var wanted map[string]any
	if err := json.NewDecoder(r.Body).Decode(&wanted); err != nil {
		http.Error(w, "no JSON", http.StatusBadRequest)
		return
	}
	if err := d.gauges.AddSubscription(wanted); err != nil {
		http.Error(w, "later", http.StatusInternalServerError)
		return
	}
	w.WriteHeader(http.StatusCreated)
}

type remark struct {
	Gauge string `json:"gauge"`
	Text  string `json:"text"`
}

func (m remark) validate() error {
	if !gaugeCode.MatchString(m.Gauge) {
		return errors.New("no such gauge")
	}
	if text := strings.TrimSpace(m.Text); text == "" || len(text) > 500 {
		return errors.New("a remark has up to 500 characters")
	}
	return nil
}

func (d *desk) remark(w http.ResponseWriter, r *http.Request) {
	decoder := json.NewDecoder(http.MaxBytesReader(w, r.Body, 4096))
	decoder.DisallowUnknownFields()
	var given remark
	if err := decoder.Decode(&given); err != nil {
		http.Error(w, "no remark", http.StatusBadRequest)
		return
	}
	if err := given.validate(); err != nil {
		http.Error(w, err.Error(), http.StatusUnprocessableEntity)
		return
	}
	w.WriteHeader(http.StatusAccepted)
}

type correction struct {
	Gauge string  `json:"gauge"`
	Level float64 `json:"level"`
}

// A level from outside the scale is answered with an error, and kept.
func (d *desk) correct(w http.ResponseWriter, r *http.Request) {
	var given correction
	if err := json.NewDecoder(r.Body).Decode(&given); err != nil {
		http.Error(w, "no correction", http.StatusBadRequest)
		return
	}
	if !gaugeCode.MatchString(given.Gauge) {
		http.Error(w, "no such gauge", http.StatusNotFound)
		return
	}
	if given.Level < -5 || given.Level > 25 {
		http.Error(w, "off the scale", http.StatusUnprocessableEntity)
	}
	row := &store.ReadingRow{Gauge: given.Gauge, Level: given.Level, Unit: "m"}
	if err := d.gauges.AddReading(row); err != nil {
		http.Error(w, "later", http.StatusInternalServerError)
		return
	}
	w.WriteHeader(http.StatusAccepted)
}
