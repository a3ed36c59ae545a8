const { ZodError } = require("zod");

class Refused extends Error {
  constructor(message, status = 422) {
    super(message);
    this.status = status;
  }
}

function answerErrors(err, req, res, next) {
  if (err instanceof ZodError) {
    return res.status(422).json({ issues: err.issues });
  }
  if (err instanceof Refused) {
    return res.status(err.status).json({ error: err.message });
  }
  res.status(500).json({ error: "something broke at the counter" });
}

module.exports = { Refused, answerErrors };
