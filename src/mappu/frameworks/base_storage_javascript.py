"""Words of the storage libraries that JavaScript services use, whatever web framework stands in front of them."""

import re

from mappu.symbols.program import Program, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

# Methods whose name alone says that they write.
PLAIN_STORES = frozenset({
    "insertOne", "insertMany", "updateOne", "updateMany", "replaceOne", "findOneAndUpdate", "findByIdAndUpdate", "bulkWrite",
    "findOneAndReplace", "bulkCreate", "createMany", "findOrCreate", "putItem", "updateItem", "hset", "hSet", "lpush", "rpush",
    "sadd", "zadd", "putObject", "executeRaw", "$executeRawUnsafe", "createAndSave", "createQueryBuilder",
})  # fmt: skip

STORES = PLAIN_STORES - {"createQueryBuilder"} | {
    "save", "insert", "create", "upsert", "set", "put", "update", "add", "push", "query", "execute", "run", "publish", "send",
    "values", "raw", "merge", "persist", "write", "setItem", "store",
}  # fmt: skip

LOOKUPS = frozenset({
    "get", "find", "findOne", "findById", "findUnique", "findUniqueOrThrow", "findFirst", "findMany", "findByPk", "findAll",
    "findAndCount", "findAndCountAll", "findOneBy", "findBy", "findOneOrFail", "findOneByOrFail", "where", "select", "from",
    "first", "count", "countDocuments", "exists", "exist", "aggregate", "distinct", "getItem", "hget", "hGet", "hgetall",
    "lean", "exec", "populate", "sort", "limit", "skip", "all", "has", "filter", "some", "findIndex", "andWhere", "orderBy",
    "leftJoin", "innerJoin", "eq", "returning",
})  # fmt: skip

QUERIES = frozenset({"query", "execute", "run", "raw", "all", "get", "exec", "whereRaw", "$queryRawUnsafe",
                     "$executeRawUnsafe"})  # fmt: skip

# Writes whose first argument says which record is meant.
KEYED = frozenset({"updateOne", "updateMany", "replaceOne", "findOneAndUpdate", "findByIdAndUpdate", "findOneAndReplace",
                   "update", "set", "put", "hset", "hSet", "lpush", "rpush", "sadd"})  # fmt: skip
ASKING_KEYS = frozenset(
    {"where", "filter", "include", "select", "orderBy", "Key", "TableName", "returning", "upsert", "new"}
)
ROW_KEYS = frozenset({"data", "create", "update", "values", "$set", "Item", "dataValues", "$push", "$setOnInsert"})

PACKAGES = frozenset({
    "@prisma/client", "mongoose", "mongodb", "typeorm", "@nestjs/typeorm", "@nestjs/mongoose", "sequelize", "knex", "pg", "mysql",
    "mysql2", "sqlite3", "better-sqlite3", "redis", "ioredis", "drizzle-orm", "@mikro-orm/core", "objection", "bookshelf",
    "sequelize-typescript", "nedb", "lowdb", "level", "@aws-sdk/client-dynamodb", "@aws-sdk/client-s3", "kysely", "pg-promise",
    "@supabase/supabase-js", "firebase-admin", "couchbase", "cassandra-driver", "@elastic/elasticsearch", "slonik", "postgres",
})  # fmt: skip

NAMES = re.compile(
    r"^(?:db|database|prisma|knex|sql|pool|conn|connection|client|tx|trx|em|orm|redis|collection|repo|repository|store|storage|"
    r"model|dao|records|table|session|cache|mongo|drizzle|pg|entityManager|manager)$|"
    r"(?:Repo|Repository|Store|Storage|Collection|Model|Dao|Db|DB|Database|Prisma|Table|Entity|Records)$"
)

_ENTITY_MARKS = frozenset({"Entity", "Schema", "Table", "ObjectType", "modelOptions"})
_ENTITY_PACKAGES = ("typeorm", "@nestjs/mongoose", "sequelize-typescript", "@mikro-orm", "@typegoose")
_ENTITY_BASES = frozenset({"sequelize.Model", "sequelize-typescript.Model", "objection.Model", "typeorm.BaseEntity"})
_MODEL_MAKERS = ("model", "define", "getModelForClass", "pgTable", "mysqlTable", "sqliteTable")


def is_entity(program: Program, target: Target) -> bool:
    """True for what stands for a table or collection: a class that is mapped to one, or a model made by a library's call."""
    node, scope = target.node, target.scope
    if scope is None:
        return False
    if isinstance(node, n.Class):
        for mark in node.marks:
            name = program.name_of(mark.name, scope) or ""
            if name.rpartition(".")[2] in _ENTITY_MARKS and name.startswith(_ENTITY_PACKAGES):
                return True
        return program.derives(target, _ENTITY_BASES) is not None
    if isinstance(node, n.Variable | n.Assign) and isinstance(node.value, n.Call):
        func = node.value.func
        last = (dotted(func) or (func.name if isinstance(func, n.Member) else "")).rpartition(".")[2]
        return last in _MODEL_MAKERS and len(node.value.args) >= 1
    return False
