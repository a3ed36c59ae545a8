// Package store keeps gauges, what they measured, and who looks after them.
package store

import (
	"time"

	"gorm.io/gorm"
)

type GaugeRow struct {
	gorm.Model
	Code  string  `gorm:"size:8;not null;uniqueIndex"`
	Name  string  `gorm:"size:60;not null"`
	Datum float64 `gorm:"not null"`
	Quay  string  `gorm:"size:24"`
}

type ReadingRow struct {
	gorm.Model
	Gauge string    `gorm:"size:8;not null;index"`
	Level float64   `gorm:"not null"`
	Unit  string    `gorm:"size:2;not null"`
	Taken time.Time `gorm:"not null"`
}

type KeeperRow struct {
	gorm.Model
	Badge string `gorm:"size:12;not null" json:"badge" binding:"required,max=12,alphanum"`
	Name  string `gorm:"size:60;not null" json:"name" binding:"required,max=60"`
	Chief bool   `gorm:"not null" json:"chief"`
}

type SubscriptionRow struct {
	gorm.Model
	Callback string `gorm:"size:200;not null"`
	Gauge    string `gorm:"size:8"`
}
