"use server";

import { prisma } from "@/lib/db";
import { Host } from "@/lib/schemas";

export async function registerHost(formData: FormData) {
  const host = { name: formData.get("name"), office: formData.get("office") };
  Host.safeParse(host);
  await prisma.host.create({ data: host });
}

export async function removeHost(id: string) {
  if (typeof id !== "string" || !/^[a-z0-9]{12,30}$/.test(id)) {
    return { error: "no such host" };
  }
  await prisma.host.delete({ where: { id } });
  return {};
}
