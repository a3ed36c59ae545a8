package store

import "gorm.io/gorm"

type Store struct {
	db *gorm.DB
}

func New(db *gorm.DB) *Store {
	return &Store{db: db}
}

func (s *Store) AddReading(row *ReadingRow) error {
	return s.db.Create(row).Error
}

func (s *Store) AddReadings(rows []ReadingRow) error {
	return s.db.CreateInBatches(rows, 100).Error
}

func (s *Store) SaveReading(id string, row *ReadingRow) error {
	return s.db.Model(&ReadingRow{}).Where("id = ?", id).Updates(row).Error
}

func (s *Store) RemoveReading(id uint) error {
	return s.db.Delete(&ReadingRow{}, id).Error
}

func (s *Store) AddGauge(row *GaugeRow) error {
	return s.db.Create(row).Error
}

func (s *Store) SaveGauge(code string, row *GaugeRow) error {
	return s.db.Model(&GaugeRow{}).Where("code = ?", code).Updates(row).Error
}

func (s *Store) Gauges(limit int, quay string) ([]GaugeRow, error) {
	var found []GaugeRow
	err := s.db.Where("quay = ?", quay).Limit(limit).Find(&found).Error
	return found, err
}

func (s *Store) AddKeeper(row *KeeperRow) error {
	return s.db.Create(row).Error
}

func (s *Store) AddSubscription(columns map[string]any) error {
	return s.db.Model(&SubscriptionRow{}).Create(columns).Error
}

func (s *Store) Latest(gauge string) ([]ReadingRow, error) {
	var found []ReadingRow
	err := s.db.Where("gauge = ?", gauge).Order("taken desc").Limit(48).Find(&found).Error
	return found, err
}
