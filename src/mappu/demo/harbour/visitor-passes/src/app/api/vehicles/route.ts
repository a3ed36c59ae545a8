import { NextResponse } from "next/server";
import { prisma } from "@/lib/db";
import { Vehicle } from "@/lib/schemas";

export async function POST(request: Request) {
  const body = await request.json().catch(() => null);
  const vehicle = Vehicle.parse(body);
  const saved = await prisma.vehicle.create({ data: vehicle });
  return NextResponse.json({ id: saved.id }, { status: 201 });
}
