const { Router } = require("express");
const { db, nextId } = require("../db");
const { validate } = require("../middleware/validate");
const { Finder } = require("../schemas");

const router = Router();

router.post("/", validate(Finder), (req, res) => {
  const { name, email, reward } = req.body;
  const id = nextId();
  db.finders.set(id, { id, name, email, reward });
  res.status(201).json({ id });
});

// Finders who come back: the form is the same.
router.put("/:id", (req, res) => {
  const result = Finder.safeParse(req.body);
  if (!result.success) {
    console.warn("odd finder", result.error.issues);
  }
  const { name, email } = req.body;
  db.finders.set(req.params.id, { name, email });
  res.json({ id: req.params.id });
});

router.post("/:id/thanks", (req, res) => {
  const { letter } = req.body ?? {};
  if (!letter) {
    return res.status(422).json({ error: "letter" });
  }
  db.finders.set(req.params.id, { letter });
  res.status(202).end();
});

module.exports = router;
