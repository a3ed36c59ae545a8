const { z } = require("zod");
const Joi = require("joi");

const KINDS = ["bag", "coat", "key", "phone", "umbrella", "other"];

const Place = z.object({
  quay: z.string().regex(/^[A-F]\d{1,2}$/),
  note: z.string().max(200).optional(),
});

const Item = z.object({
  kind: z.enum(["bag", "coat", "key", "phone", "umbrella", "other"]),
  colour: z.string().min(2).max(30),
  found_at: z.string().datetime(),
  place: Place,
  marks: z.array(z.string().max(60)).max(8).default([]),
});

const Finder = z.object({
  name: z.string().min(2).max(80),
  email: z.string().email().max(120),
  reward: z.coerce.number().min(0).max(500),
});

const ImportedClaim = Joi.object({
  item: Joi.string().pattern(/^\d{4,8}$/).required(),
  name: Joi.string().max(80).required(),
  pieces: Joi.number().integer().min(1).max(20).default(1),
});

module.exports = { KINDS, Item, Finder, ImportedClaim };
