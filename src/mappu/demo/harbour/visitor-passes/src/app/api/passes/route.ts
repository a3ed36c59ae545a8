import { NextRequest, NextResponse } from "next/server";
import { prisma } from "@/lib/db";
import { Gate, Pass } from "@/lib/schemas";

export async function POST(request: NextRequest) {
  let body: unknown;
  try {
    body = await request.json();
  } catch {
    return NextResponse.json({ error: "no JSON" }, { status: 400 });
  }
  const parsed = Pass.safeParse(body);
  if (!parsed.success) {
    return NextResponse.json({ issues: parsed.error.issues }, { status: 422 });
  }
  const pass = await prisma.pass.create({ data: parsed.data });
  return NextResponse.json({ id: pass.id }, { status: 201 });
}

export async function GET(request: NextRequest) {
  const gate = Gate.safeParse(request.nextUrl.searchParams.get("gate"));
  if (!gate.success) {
    return NextResponse.json({ error: "gate" }, { status: 400 });
  }
  return NextResponse.json(await prisma.pass.findMany({ where: { gate: gate.data }, take: 50 }));
}
