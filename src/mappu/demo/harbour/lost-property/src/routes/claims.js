const { Router } = require("express");
const { db, nextId } = require("../db");
const { Refused } = require("../middleware/errors");
const { ImportedClaim } = require("../schemas");

const router = Router();

const isText = (value, most) => typeof value === "string" && value.trim().length > 0 && value.length <= most;

router.post("/", (req, res) => {
  const { item, name, proof, pieces } = req.body ?? {};
  if (!isText(name, 80)) {
    throw new Refused("name");
  }
  if (typeof item !== "string" || !/^\d{4,8}$/.test(item)) {
    throw new Refused("item");
  }
  if (!["receipt", "photo", "description"].includes(proof)) {
    throw new Refused("proof", 400);
  }
  if (!Number.isInteger(pieces) || pieces < 1 || pieces > 20) {
    throw new Refused("pieces");
  }
  const id = nextId();
  db.claims.set(id, { id, item, name, proof, pieces });
  res.status(201).json({ id });
});

// Claims written down on paper and typed in later. Nothing maps this library's error.
router.post("/import", async (req, res) => {
  const claim = await ImportedClaim.validateAsync(req.body);
  const id = nextId();
  db.claims.set(id, { id, item: claim.item, name: claim.name, pieces: claim.pieces });
  res.status(201).json({ id });
});

router.param("id", (req, res, next, id) => {
  if (!/^\d{4,8}$/.test(id)) {
    return res.status(404).json({ error: "no such claim" });
  }
  next();
});

router.get("/:id", (req, res) => {
  const claim = db.claims.get(req.params.id);
  if (!claim) {
    return res.status(404).json({ error: "no such claim" });
  }
  res.json(claim);
});

router.delete("/:id", (req, res) => {
  db.claims.delete(req.params.id);
  res.status(204).end();
});

// A claim that was written down wrong.
router.put("/:id", (req, res) => {
  const { name, pieces } = req.body ?? {};
  if (!isText(name, 80)) {
    throw new Refused("name");
  }
  if (!Number.isInteger(pieces) || pieces < 1 || pieces > 200) {
    throw new Refused("pieces");
  }
  if (!db.claims.has(req.params.id)) {
    return res.status(404).json({ error: "no such claim" });
  }
  db.claims.set(req.params.id, { name, pieces });
  res.status(204).end();
});

router.post("/:id/handover", (req, res) => {
  const body = req.body ?? {};
  if (typeof body.signature !== "string" || body.signature.length > 80) {
    return res.status(422).json({ error: "signature" });
  }
  db.claims.set(req.params.id, { signature: body.signature, counter: body.counter });
  if (!Number.isInteger(body.counter) || body.counter < 1 || body.counter > 6) {
    return res.status(422).json({ error: "counter" });
  }
  res.status(204).end();
});

module.exports = router;
