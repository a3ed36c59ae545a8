"""Words of the storage libraries that JVM services use, whatever web framework stands in front of them."""

import re

from mappu.symbols.program import Program, Target
from mappu.syntax import nodes as n

# Methods whose name alone says that they write.
PLAIN_STORES = frozenset({"saveAndFlush", "saveAll", "saveAllAndFlush", "insertOne", "insertMany", "persistAndFlush",
    "batchUpdate",
                          "executeUpdate", "replaceOne", "updateOne", "findAndModify", "opsForValue"})  # fmt: skip
STORES = PLAIN_STORES - {"opsForValue"} | {"save", "insert", "put", "add", "update", "execute", "persist", "merge", "upsert",
"create",
                                           "set", "send", "store", "write", "putIfAbsent", "replace", "append"}  # fmt: skip
STAGES: frozenset[str] = frozenset()
LOOKUPS = frozenset({
    "findById", "findAll", "findOne", "find", "get", "getOne", "getById", "getReferenceById", "existsById", "exists", "count",
    "queryForObject", "query", "queryForList", "createQuery", "createNativeQuery", "getSingleResult", "getResultList",
    "containsKey",
    "contains", "remove", "delete", "deleteById", "values", "keySet", "entrySet", "getOrDefault", "setParameter", "findAllById",
    "list", "listAll", "findByIdOptional", "stream", "findFirst",
})  # fmt: skip
LOOKUP_PREFIXES = (
    "findBy",
    "findAllBy",
    "existsBy",
    "countBy",
    "getBy",
    "readBy",
    "searchBy",
    "findFirst",
    "findTop",
    "deleteBy",
)
QUERIES = frozenset({"query", "queryForObject", "queryForList", "createQuery", "createNativeQuery", "execute", "update",
    "batchUpdate",
                     "executeQuery", "executeUpdate", "prepareStatement"})  # fmt: skip
# Writes whose first argument says which record is meant.
KEYED = frozenset({"put", "putIfAbsent", "replace", "set"})
PACKAGES = frozenset({
    "org.springframework.data", "org.springframework.jdbc", "jakarta.persistence", "javax.persistence", "org.hibernate",
    "com.mongodb", "redis.clients", "io.quarkus.hibernate", "io.quarkus.mongodb", "io.micronaut.data", "org.jooq", "java.sql",
    "com.baomidou.mybatisplus", "org.apache.ibatis",
})  # fmt: skip
NAMES = re.compile(
    r"^(?:db|repo|repository|dao|store|storage|em|entityManager|jdbc|jdbcTemplate|jdbcClient|template|records|table|cache|session|"
    r"mongo|mongoTemplate|redis|redisTemplate|connection|statement)$|"
    r"(?:Repo|Repository|Dao|DAO|Store|Storage|Mapper|Template|Records|Cache|ById|ByNumber)$"
)
_ENTITIES = frozenset({f"{p}.persistence.{x}" for p in ("jakarta", "javax") for x in ("Entity", "Embeddable", "MappedSuperclass")}
                      | {"org.springframework.data.mongodb.core.mapping.Document",
                      "org.springframework.data.relational.core.mapping.Table",
                         "io.micronaut.data.annotation.MappedEntity"})  # fmt: skip


def is_entity(program: Program, target: Target) -> bool:
    """True for a class that is mapped to a table or a collection."""
    node, scope = target.node, target.scope
    if not isinstance(node, n.Class) or scope is None:
        return False
    return any(program.name_of(m.name, scope) in _ENTITIES for m in node.marks)
