package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"net/http"
	"os"
	"regexp"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"
	validation "github.com/go-ozzo/ozzo-validation/v4"
	"github.com/go-ozzo/ozzo-validation/v4/is"
	"github.com/go-playground/validator/v10"
	"github.com/gorilla/mux"
)

var validate = validator.New(validator.WithRequiredStructEnabled())

type Note struct {
	Title string `json:"title" validate:"required,max=5"`
	Size  int    `json:"size"`
}

type Port struct {
	Code string   `json:"code"`
	Size int      `json:"size"`
	Mail string   `json:"mail"`
	Tags []string `json:"tags"`
}

func (p Port) Validate() error {
	return validation.ValidateStruct(&p,
		validation.Field(&p.Code, validation.Required, validation.Length(2, 4)),
		validation.Field(&p.Size, validation.Min(1), validation.Max(9)),
		validation.Field(&p.Mail, is.EmailFormat),
		validation.Field(&p.Tags, validation.Length(0, 2), validation.Each(validation.In("a", "b"))),
	)
}

type Tide struct {
	Kind  string `json:"kind"`
	Level int    `json:"level"`
}

const (
	High = "high"
	Low  = "low"
)

func (t *Tide) Validate() error {
	switch t.Kind {
	case High, Low:
	default:
		return fmt.Errorf("kind %q", t.Kind)
	}
	if t.Level < 1 || t.Level > 9 {
		return errors.New("level")
	}
	return nil
}

var code = regexp.MustCompile(`^[A-Z]{3}$`)

type server struct {
	router *mux.Router
	notes  map[string]Note
}

func main() {
	s := &server{router: mux.NewRouter(), notes: map[string]Note{}}
	s.routes()
	r := chi.NewRouter()
	r.Route("/chi", func(r chi.Router) {
		r.Post("/ports", ports)
		r.With(quiet).Post("/tides", tides)
		r.Mount("/inner", inner())
	})
	top := http.NewServeMux()
	top.Handle("/mux/", s.router)
	top.Handle("/chi/", r)
	top.HandleFunc("POST /notes", create)
	top.HandleFunc("GET /notes/{id}", one)
	top.HandleFunc("/either", either)
	top.HandleFunc("POST /form", form)
	top.HandleFunc("POST /strict", strict)
	top.HandleFunc("POST /read", read)
	top.HandleFunc("POST /carries", carries)
	http.ListenAndServe("127.0.0.1:"+os.Args[1], top)
}

func (s *server) routes() {
	sub := s.router.PathPrefix("/mux").Subrouter()
	sub.HandleFunc("/notes/{id:[0-9]+}", s.put).Methods("PUT")
	sub.HandleFunc("/codes/{code}", s.code).Methods(http.MethodGet)
	sub.Handle("/made", s.make()).Methods("POST")
	sub.Methods("POST").Path("/search").HandlerFunc(s.search)
}

func quiet(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { next.ServeHTTP(w, r) })
}

func inner() http.Handler {
	r := chi.NewRouter()
	r.Get("/{id}", func(w http.ResponseWriter, r *http.Request) {
		id, err := strconv.Atoi(chi.URLParam(r, "id"))
		if err != nil || id < 5 {
			http.Error(w, "id", http.StatusBadRequest)
			return
		}
		w.Write([]byte("ok"))
	})
	return r
}

func decode[T any](r *http.Request) (T, error) {
	var value T
	if err := json.NewDecoder(r.Body).Decode(&value); err != nil {
		return value, fmt.Errorf("decode: %w", err)
	}
	return value, nil
}

func fail(w http.ResponseWriter, status int, err error) {
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(map[string]string{"error": err.Error()})
}

func ports(w http.ResponseWriter, r *http.Request) {
	port, err := decode[Port](r)
	if err != nil {
		fail(w, http.StatusBadRequest, err)
		return
	}
	if err := port.Validate(); err != nil {
		fail(w, http.StatusUnprocessableEntity, err)
		return
	}
	json.NewEncoder(w).Encode(port)
}

func tides(w http.ResponseWriter, r *http.Request) {
	var tide Tide
	if err := json.NewDecoder(r.Body).Decode(&tide); err != nil {
		fail(w, 400, err)
		return
	}
	if err := tide.Validate(); err != nil {
		fail(w, 400, err)
		return
	}
	json.NewEncoder(w).Encode(tide)
}

func create(w http.ResponseWriter, r *http.Request) {
	var note Note
	if err := json.NewDecoder(r.Body).Decode(&note); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	if err := validate.Struct(note); err != nil {
		var faults validator.ValidationErrors
		if errors.As(err, &faults) {
			http.Error(w, faults.Error(), http.StatusBadRequest)
			return
		}
		http.Error(w, "other", http.StatusInternalServerError)
		return
	}
	if note.Size > 100 {
		http.Error(w, "size", http.StatusBadRequest)
		return
	}
	json.NewEncoder(w).Encode(note)
}

func one(w http.ResponseWriter, r *http.Request) {
	if !code.MatchString(r.PathValue("id")) {
		http.NotFound(w, r)
		return
	}
	w.Write([]byte("ok"))
}

func either(w http.ResponseWriter, r *http.Request) {
	switch r.Method {
	case http.MethodGet:
		q := strings.TrimSpace(r.URL.Query().Get("q"))
		if len(q) > 3 {
			http.Error(w, "q", http.StatusBadRequest)
			return
		}
		w.Write([]byte(q))
	case http.MethodPost:
		var note Note
		json.NewDecoder(r.Body).Decode(&note)
		w.Write([]byte(note.Title))
	default:
		w.WriteHeader(http.StatusMethodNotAllowed)
	}
}

func form(w http.ResponseWriter, r *http.Request) {
	name := r.FormValue("name")
	if name == "" || strings.HasPrefix(name, "-") {
		http.Error(w, "name", 400)
		return
	}
	kind := r.FormValue("kind")
	if _, ok := kinds[kind]; !ok {
		http.Error(w, "kind", 400)
		return
	}
	w.Write([]byte(name))
}

var kinds = map[string]bool{"a": true, "b": true}

func strict(w http.ResponseWriter, r *http.Request) {
	var note Note
	decoder := json.NewDecoder(r.Body)
	decoder.DisallowUnknownFields()
	err := decoder.Decode(&note)
	if err != nil {
		http.Error(w, "json", 400)
		return
	}
	w.Write([]byte(note.Title))
}

func read(w http.ResponseWriter, r *http.Request) {
	data, err := io.ReadAll(r.Body)
	if err != nil {
		http.Error(w, "read", 500)
		return
	}
	var note Note
	if err = json.Unmarshal(data, &note); err != nil {
		log.Println("broken", err)
	}
	if err := validate.Struct(&note); err != nil {
		http.Error(w, "note", 400)
		return
	}
	w.Write([]byte(note.Title))
}

var saved []Note

func carries(w http.ResponseWriter, r *http.Request) {
	var note Note
	if err := json.NewDecoder(r.Body).Decode(&note); err != nil {
		http.Error(w, "json", 400)
		return
	}
	if note.Size < 0 {
		http.Error(w, "size", 400)
	}
	saved = append(saved, note)
	fmt.Fprintln(w, "saved")
}

func (s *server) put(w http.ResponseWriter, r *http.Request) {
	id := mux.Vars(r)["id"]
	var note Note
	if err := json.NewDecoder(r.Body).Decode(&note); err != nil {
		fail(w, 400, err)
		return
	}
	s.notes[id] = note
	w.WriteHeader(http.StatusOK)
}

func (s *server) code(w http.ResponseWriter, r *http.Request) {
	vars := mux.Vars(r)
	if ok, _ := regexp.MatchString("^[a-z]+$", vars["code"]); !ok {
		http.Error(w, "code", http.StatusBadRequest)
		return
	}
	w.Write([]byte("ok"))
}

func (s *server) make() http.HandlerFunc {
	type request struct {
		Name string `json:"name"`
	}
	return func(w http.ResponseWriter, r *http.Request) {
		var req request
		if err := json.NewDecoder(r.Body).Decode(&req); err != nil {
			http.Error(w, "json", 400)
			return
		}
		if req.Name == "" {
			http.Error(w, "name", 400)
			return
		}
		w.Write([]byte(req.Name))
	}
}

func (s *server) search(w http.ResponseWriter, r *http.Request) {
	var body map[string]interface{}
	if err := json.NewDecoder(r.Body).Decode(&body); err != nil {
		http.Error(w, "json", 400)
		return
	}
	text, ok := body["text"].(string)
	if !ok {
		http.Error(w, "text", 400)
		return
	}
	w.Write([]byte(text))
}
