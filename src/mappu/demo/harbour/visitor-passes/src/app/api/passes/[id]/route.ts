import { NextResponse } from "next/server";
import { prisma } from "@/lib/db";

type Context = { params: Promise<{ id: string }> };
type Changes = { gate: string; days: number };

const ID = /^[a-z0-9]{12,30}$/;

export async function GET(_request: Request, { params }: Context) {
  const { id } = await params;
  if (!ID.test(id)) {
    return NextResponse.json({ error: "no such pass" }, { status: 404 });
  }
  const pass = await prisma.pass.findUnique({ where: { id } });
  if (!pass) {
    return NextResponse.json({ error: "no such pass" }, { status: 404 });
  }
  return NextResponse.json(pass);
}

// Typed, and checked by nobody: the type is gone when the request comes.
export async function PUT(request: Request, { params }: Context) {
  const { id } = await params;
  if (!ID.test(id)) {
    return NextResponse.json({ error: "no such pass" }, { status: 404 });
  }
  const changes = (await request.json()) as Changes;
  const pass = await prisma.pass.update({ where: { id }, data: changes });
  return NextResponse.json(pass);
}
