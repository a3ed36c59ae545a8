import { prisma } from "@/lib/db";

const GATES = ["north", "south", "ferry"];

// The older address, kept for the barrier at the ferry.
export default async function handler(req, res) {
  switch (req.method) {
    case "POST": {
      const { gate, open } = req.body;
      if (!GATES.includes(gate)) {
        return res.status(400).json({ error: "gate" });
      }
      if (typeof open !== "boolean") {
        return res.status(400).json({ error: "open" });
      }
      await prisma.gate.update({ where: { gate }, data: { open } });
      return res.status(204).end();
    }
    case "GET":
      return res.status(200).json(await prisma.gate.findMany());
    default:
      return res.status(405).end();
  }
}
