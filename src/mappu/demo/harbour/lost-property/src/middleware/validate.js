// Checks the body against a schema, and puts what the schema made of it in its place.
const validate = (schema) => (req, res, next) => {
  const result = schema.safeParse(req.body);
  if (!result.success) {
    return res.status(422).json({ issues: result.error.issues });
  }
  req.body = result.data;
  next();
};

module.exports = { validate };
