"""Words of the storage libraries that Python services use, whatever web framework stands in front of them."""

import re

# Methods whose name alone says that they write.
PLAIN_STORES = frozenset({
    "insert_one", "insert_many", "update_one", "update_many", "replace_one", "find_one_and_update", "bulk_write",
    "find_one_and_replace", "bulk_create", "bulk_save_objects", "bulk_insert_mappings", "executemany", "put_item",
    "update_item", "hset", "lpush", "rpush", "sadd", "put_object", "write_text", "write_bytes", "update_or_create",
    "get_or_create", "bulk_update", "sqlmodel_update",
})  # fmt: skip

# Methods that write at once where what they are called on keeps records.
STORES = PLAIN_STORES - {"sqlmodel_update"} | {
    "execute", "exec", "save", "insert", "create", "upsert", "write", "set", "publish", "put", "update", "scalar", "scalars",
}  # fmt: skip

# Methods that write once the session is committed; what is only flushed is rolled back by an error.
STAGES = frozenset({"add", "add_all", "merge", "sqlmodel_update"})
COMMITS = frozenset({"commit"})

QUERIES = frozenset({"execute", "exec", "scalars", "scalar"})

LOOKUPS = frozenset({
    "get", "get_one", "find_one", "find", "find_by_id", "first", "one", "one_or_none", "scalar_one_or_none", "scalar_one",
    "scalars", "fetchone", "fetchall", "fetch_one", "fetch_all", "get_or_none", "filter", "filter_by", "query", "all",
    "where", "get_item", "hget", "hgetall", "exists", "get_by_id", "aggregate", "count_documents",
})  # fmt: skip

PACKAGES = frozenset({
    "sqlalchemy", "sqlmodel", "pymongo", "motor", "redis", "beanie", "odmantic", "tortoise", "peewee", "databases", "asyncpg",
    "psycopg", "psycopg2", "aiosqlite", "sqlite3", "aiomysql", "pymysql", "boto3", "aioboto3", "elasticsearch",
    "opensearchpy", "ormar", "piccolo", "pony", "django", "mongoengine", "tinydb", "cassandra", "neo4j", "supabase",
    "google", "aioredis", "aiofiles", "shelve", "dbm",
})  # fmt: skip

NAMES = re.compile(
    r"(?:^|_)(?:db|session|conn|connection|cursor|cur|collection|coll|repo|repository|store|storage|table|database|redis|"
    r"dao|crud|tx|transaction|objects|bucket)s?$|(?:Repo|Repository|Store|Storage|Collection|Session)$",
    re.I,
)
