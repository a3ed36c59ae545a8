const { Router } = require("express");
const multer = require("multer");
const { db, pool, nextId } = require("../db");
const { validate } = require("../middleware/validate");
const { Item, KINDS } = require("../schemas");

const router = Router();
const upload = multer({ dest: "photos", limits: { fileSize: 2_000_000 } });

router.param("id", (req, res, next, id) => {
  if (!/^\d{4,8}$/.test(id)) {
    return res.status(404).json({ error: "no such item" });
  }
  next();
});

router.post("/", validate(Item), (req, res) => {
  const id = nextId();
  db.items.set(id, { id, ...req.body });
  res.status(201).json({ id });
});

router.get("/", (req, res) => {
  const { kind = "other" } = req.query;
  const limit = Number(req.query.limit ?? 20);
  if (!KINDS.includes(kind)) {
    return res.status(400).json({ error: "kind" });
  }
  if (!Number.isInteger(limit) || limit < 1 || limit > 100) {
    return res.status(400).json({ error: "limit" });
  }
  const found = [...db.items.values()].filter((item) => item.kind === kind);
  res.json(found.slice(0, limit));
});

// The shop window's search box.
router.get("/search", async (req, res) => {
  const found = await pool.query(`select * from items where colour = '${req.query.colour}'`);
  res.json(found.rows);
});

router.get("/:id", (req, res) => {
  const item = db.items.get(req.params.id);
  if (!item) {
    return res.status(404).json({ error: "no such item" });
  }
  res.json(item);
});

router.put("/:id", (req, res) => {
  const { colour, kind } = req.body ?? {};
  if (typeof colour !== "string" || colour.length < 2 || colour.length > 30) {
    return res.status(422).json({ error: "colour" });
  }
  if (!KINDS.includes(kind)) {
    res.status(422).json({ error: "kind" });
  }
  db.items.set(req.params.id, { colour, kind });
  res.json({ id: req.params.id });
});

// Corrections from the night shift.
router.patch("/:id", (req, res) => {
  const item = db.items.get(req.params.id);
  if (!item) {
    return res.status(404).json({ error: "no such item" });
  }
  db.items.set(req.params.id, { ...item, ...req.body });
  res.json(item);
});

router.post("/:id/photo", upload.single("photo"), (req, res) => {
  if (!req.file) {
    return res.status(422).json({ error: "photo" });
  }
  const item = db.items.get(req.params.id);
  if (!item) {
    return res.status(404).json({ error: "no such item" });
  }
  db.items.set(req.params.id, { ...item, photo: req.file.filename });
  res.status(204).end();
});

module.exports = router;
