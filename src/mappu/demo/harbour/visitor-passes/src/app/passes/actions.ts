"use server";

import { prisma } from "@/lib/db";
import { ShortPass } from "@/lib/schemas";

export type State = { errors?: Record<string, string[]> };

export async function requestPass(_state: State, formData: FormData): Promise<State> {
  const parsed = ShortPass.safeParse(Object.fromEntries(formData));
  if (!parsed.success) {
    return { errors: parsed.error.flatten().fieldErrors };
  }
  await prisma.pass.create({ data: parsed.data });
  return {};
}

export async function extendPass(_state: State, formData: FormData): Promise<State> {
  const id = formData.get("id");
  if (typeof id !== "string" || !/^[a-z0-9]{12,30}$/.test(id)) {
    return { errors: { id: ["no such pass"] } };
  }
  const days = Number(formData.get("days"));
  if (!Number.isInteger(days) || days < 1 || days > 14) {
    return { errors: { days: ["between 1 and 14"] } };
  }
  await prisma.pass.update({ where: { id }, data: { days } });
  return {};
}

// The browser's own form checks stand in front of this, and only there.
export async function cancelPass(formData: FormData) {
  const reason = formData.get("reason");
  await prisma.cancellation.create({ data: { reason } });
}
