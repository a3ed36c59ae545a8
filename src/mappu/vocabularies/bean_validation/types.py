"""What Java's own types say a value may be, as the JSON binder takes them."""

from collections.abc import Mapping

from mappu.inventory.model import FieldType

# Types whose missing value silently becomes nought or false.
PRIMITIVES: Mapping[str, FieldType] = {
    "int": "integer", "long": "integer", "short": "integer", "byte": "integer", "double": "number", "float": "number",
    "boolean": "boolean", "char": "string",
}  # fmt: skip
_BOXED: Mapping[str, FieldType] = {
    "String": "string", "CharSequence": "string", "Character": "string", "Integer": "integer", "Long": "integer",
    "Short": "integer",
    "Byte": "integer", "Double": "number", "Float": "number", "Number": "number", "Boolean": "boolean",
    "java.math.BigDecimal": "number", "java.math.BigInteger": "integer",
}  # fmt: skip
TYPES: Mapping[str, FieldType] = {**PRIMITIVES, **_BOXED}
# Types that take only text of a certain form.
FORMATS: Mapping[str, str] = {
    "java.util.UUID": "uuid", "java.time.LocalDate": "date", "java.time.LocalDateTime": "date-time",
    "java.time.Instant": "date-time",
    "java.time.ZonedDateTime": "date-time", "java.time.OffsetDateTime": "date-time", "java.time.LocalTime": "time",
    "java.time.OffsetTime": "time", "java.time.Duration": "duration", "java.time.Period": "duration",
    "java.util.Date": "date-time",
    "java.time.Year": "year", "java.time.YearMonth": "year-month", "java.net.URI": "uri", "java.net.URL": "uri",
    "java.util.Locale": "locale", "java.util.Currency": "currency-code", "java.time.ZoneId": "time-zone",
    "java.time.MonthDay": "month-day", "java.sql.Date": "date", "java.sql.Timestamp": "date-time",
}  # fmt: skip
LISTS = frozenset({"Array", "List", "Set", "Collection", "MutableList", "MutableSet", "java.util.List", "java.util.Set",
    "java.util.Collection", "java.util.ArrayList",
    "java.util.LinkedList",
                   "java.util.HashSet", "java.util.LinkedHashSet", "java.util.SortedSet", "java.util.TreeSet", "Iterable",
                   "java.util.Queue", "java.util.Deque", "java.util.stream.Stream", "kotlin.collections.List"})  # fmt: skip
MAPS = frozenset({"java.util.Map", "Map", "MutableMap", "java.util.HashMap", "java.util.LinkedHashMap", "java.util.TreeMap",
    "java.util.SortedMap",
                  "org.springframework.util.MultiValueMap"})  # fmt: skip
WRAPPERS = frozenset({"java.util.Optional", "reactor.core.publisher.Mono", "org.springframework.http.HttpEntity",
                      "org.springframework.http.RequestEntity", "java.util.concurrent.CompletableFuture",
                      "org.openapitools.jackson.nullable.JsonNullable"})  # fmt: skip
STREAMS = frozenset({"reactor.core.publisher.Flux"})
FREE = frozenset({"Object", "com.fasterxml.jackson.databind.JsonNode", "com.fasterxml.jackson.databind.node.ObjectNode",
                  "jakarta.json.JsonObject", "com.google.gson.JsonObject"})  # fmt: skip
FILES = frozenset({"org.springframework.web.multipart.MultipartFile", "jakarta.servlet.http.Part", "javax.servlet.http.Part",
                   "org.springframework.http.codec.multipart.FilePart"})  # fmt: skip
