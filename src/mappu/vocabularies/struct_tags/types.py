"""Types that decoders know by themselves, and what a JSON document or text must be to become one."""

from collections.abc import Mapping

from mappu.inventory.model import ConstraintKind, FieldType

INTEGERS: Mapping[str, tuple[int | None, int | None]] = {
    "int": (None, None), "int64": (None, None), "int32": (None, None), "rune": (None, None), "int16": (-32768, 32767),
    "int8": (-128, 127), "uint": (0, None), "uint64": (0, None), "uint32": (0, None), "uintptr": (0, None),
    "uint16": (0, 65535), "uint8": (0, 255), "byte": (0, 255),
}  # fmt: skip
PLAIN: Mapping[str, FieldType] = {"string": "string", "bool": "boolean", "float64": "number", "float32": "number",
                                  **dict.fromkeys(INTEGERS, "integer"), "any": "any", "error": "any"}  # fmt: skip
# Types of packages: what they are, and the rule that making one is.
KNOWN: Mapping[str, tuple[FieldType, tuple[ConstraintKind, object] | None]] = {
    "time.Time": ("string", ("format", "date-time")), "time.Duration": ("integer", None),
    "encoding/json.RawMessage": ("any", None), "encoding/json.Number": ("number", None),
    "github.com/google/uuid.UUID": ("string", ("format", "uuid")), "github.com/gofrs/uuid.UUID": ("string", ("format", "uuid")),
    "github.com/satori/go.uuid.UUID": ("string", ("format", "uuid")), "net.IP": ("string", ("format", "ip")),
    "net/netip.Addr": ("string", ("format", "ip")), "math/big.Int": ("integer", None),
    "github.com/shopspring/decimal.Decimal": ("number", None), "mime/multipart.FileHeader": ("file", None),
    "go.mongodb.org/mongo-driver/bson/primitive.ObjectID": ("string", ("format", "mongodb-id")),
    **{f"github.com/go-openapi/strfmt.{name}": ("string", ("format", format_)) for name, format_ in (
        ("DateTime", "date-time"), ("Date", "date"), ("UUID", "uuid"), ("UUID4", "uuid"), ("Email", "email"), ("URI", "uri"),
        ("IPv4", "ipv4"), ("IPv6", "ipv6"), ("Hostname", "hostname"), ("MAC", "mac"))},
    "github.com/go-openapi/strfmt.Password": ("string", None),
    "gorm.io/gorm.DeletedAt": ("string", ("format", "date-time")), "gorm.io/datatypes.JSON": ("any", None),
}  # fmt: skip
# Structs that packages have others embed, with their fields: the name in code, the type.
EMBEDDED: Mapping[str, tuple[tuple[str, str], ...]] = {
    "gorm.io/gorm.Model": (("ID", "uint"), ("CreatedAt", "time.Time"), ("UpdatedAt", "time.Time"),
                           ("DeletedAt", "gorm.io/gorm.DeletedAt")),
}  # fmt: skip
