"""Words of the storage libraries that Go services use, whatever web framework stands in front of them."""

import re

from mappu.symbols.program import Program, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

# Methods whose name alone says that they write.
PLAIN_STORES = frozenset({"InsertOne", "InsertMany", "UpdateOne", "UpdateMany", "ReplaceOne", "FindOneAndUpdate",
                          "FindOneAndReplace",
                          "BulkWrite", "ExecContext", "NamedExec", "NamedExecContext", "MustExec", "MustExecContext",
                          "FirstOrCreate", "CreateInBatches", "PutItem", "PutObject"})  # fmt: skip
STORES = PLAIN_STORES | {"Create", "Save", "Insert", "Update", "Updates", "UpdateColumn", "UpdateColumns", "Exec", "Upsert",
                         "Put",
                         "Set", "Store", "Add", "Append", "Write", "Push", "Publish", "Send", "SetEX", "HSet", "LPush", "RPush",
                         "Persist", "Replace", "Register", "Book", "Raw"}  # fmt: skip
LOOKUPS = frozenset({
    "Get", "Find", "First", "Last", "Take", "FindOne", "FindByID", "FindById", "Query", "QueryRow", "QueryContext",
    "QueryRowContext", "Queryx", "QueryRowx", "Select", "SelectContext", "GetContext", "Where", "Count", "Scan", "Load", "Lookup",
    "Exists", "List", "All", "Model", "Table", "Preload", "Joins", "Order", "Limit", "Offset", "Pluck", "Delete", "Remove",
    "DeleteOne", "NamedQuery", "Rows", "Row", "Not", "Or", "HGet", "HGetAll", "Omit", "Debug", "WithContext", "Session",
})  # fmt: skip
LOOKUP_PREFIXES = ("FindBy", "GetBy", "ListBy", "ExistsBy", "CountBy", "DeleteBy", "LoadBy")
QUERIES = frozenset({"Query", "QueryRow", "QueryContext", "QueryRowContext", "Exec", "ExecContext", "Raw", "Queryx",
                     "QueryRowx", "Get",
                     "Select", "MustExec", "NamedExec", "NamedQuery", "Where", "Order", "Prepare"})  # fmt: skip
# Writes whose first argument says which record is meant.
KEYED = frozenset({"Put", "Set", "Store", "HSet", "Update"})
PACKAGES = frozenset({
    "gorm.io/gorm", "github.com/jinzhu/gorm", "database/sql", "github.com/jmoiron/sqlx", "github.com/jackc/pgx",
    "github.com/jackc/pgx/pgxpool", "go.mongodb.org/mongo-driver/mongo", "github.com/redis/go-redis", "github.com/go-redis/redis",
    "github.com/uptrace/bun", "xorm.io/xorm", "github.com/go-pg/pg", "entgo.io/ent", "go.etcd.io/bbolt", "github.com/boltdb/bolt",
    "github.com/dgraph-io/badger", "sync.Map",
})  # fmt: skip
NAMES = re.compile(
    r"^(?:db|tx|sqlDB|gormDB|repo|repository|dao|store|storage|orm|conn|pool|collection|coll|redis|rdb|cache|client|queries|q|"
    r"records|table|session)$|(?:Repo|Repository|Dao|DAO|Store|Storage|DB|Collection|Cache|Queries|Table)$"
)
_STORED = frozenset({"gorm", "db", "bun", "xorm", "pg", "bson"})


def is_entity(program: Program, target: Target) -> bool:
    """True for a struct whose tags say what its columns are."""
    node = target.node
    if not isinstance(node, n.Class) or target.scope is None:
        return False
    tags = {dotted(m.name) for v in node.body if isinstance(v, n.Variable) for m in v.marks}
    return bool(tags & _STORED) or any(
        program.name_of(b.value, target.scope) == "gorm.io/gorm.Model" for b in node.bases
    )
