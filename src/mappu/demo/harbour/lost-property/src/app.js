const express = require("express");
const items = require("./routes/items");
const claims = require("./routes/claims");
const finders = require("./routes/finders");
const { answerErrors } = require("./middleware/errors");

const app = express();
app.use(express.json({ limit: "100kb" }));
app.use("/items", items);
app.use("/claims", claims);
app.use("/finders", finders);
app.use(answerErrors);

app.listen(process.env.PORT || 4010);
