// Tide gauges: what the gauges of the harbour send in, who keeps them, and a feed of it for anybody.
package main

import (
	"log"
	"net/http"

	"gorm.io/driver/sqlite"
	"gorm.io/gorm"

	"saltmarsh.example/tide-gauges/admin"
	"saltmarsh.example/tide-gauges/feed"
	"saltmarsh.example/tide-gauges/ingest"
	"saltmarsh.example/tide-gauges/store"
)

func main() {
	db, err := gorm.Open(sqlite.Open("gauges.db"), &gorm.Config{})
	if err != nil {
		log.Fatal(err)
	}
	gauges := store.New(db)

	go func() { log.Fatal(ingest.NewServer(gauges).Start(":8080")) }()
	go func() { log.Fatal(admin.NewRouter(gauges).Run(":8081")) }()
	log.Fatal(http.ListenAndServe(":8082", feed.Handler(gauges)))
}
