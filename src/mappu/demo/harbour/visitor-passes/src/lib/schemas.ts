import { z } from "zod";

export const Gate = z.enum(["north", "south", "ferry"]);

export const Pass = z.object({
  visitor: z.string().trim().min(2).max(80),
  email: z.string().email().max(120),
  gate: Gate,
  from: z.string().date(),
  days: z.coerce.number().int().min(1).max(14),
});

// The form's own: names are printed on a card there.
export const ShortPass = Pass.extend({ visitor: z.string().trim().min(2).max(40) });

export const Vehicle = z.object({
  plate: z.string().regex(/^[A-Z0-9-]{4,10}$/),
  axles: z.number().int().min(2).max(9),
});

export const Host = z.object({
  name: z.string().min(2).max(80),
  office: z.string().max(40),
});
