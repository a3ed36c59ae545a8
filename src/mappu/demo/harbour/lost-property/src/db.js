const { Pool } = require("pg");

// The counter's records, kept in memory until the new database is there; the archive is already in it.
const db = {
  items: new Map(),
  claims: new Map(),
  finders: new Map(),
};

const pool = new Pool();

let last = 1000;
const nextId = () => String(++last);

module.exports = { db, pool, nextId };
