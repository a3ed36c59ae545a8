"""Go's own words for the flow engine: what its built-in calls and those of its standard library mean."""

from http import HTTPStatus

from mappu.flow.values import SinkKind
from mappu.flow.words import Errors, Fill, Language
from mappu.inventory.model import ConstraintKind

_SINKS: dict[str, SinkKind] = {
    **{f"os.{x}": "file path" for x in ("Open", "OpenFile", "Create", "ReadFile", "WriteFile", "Remove", "RemoveAll", "Mkdir",
                                        "MkdirAll", "Rename", "Stat")},
    **{f"io/ioutil.{x}": "file path" for x in ("ReadFile", "WriteFile", "ReadDir")},
    "os/exec.Command": "command", "net/http.ServeFile": "file path",
}  # fmt: skip
_JSON = ("encoding/json", "github.com/goccy/go-json", "github.com/bytedance/sonic", "github.com/json-iterator/go",
         "encoding/xml", "gopkg.in/yaml", "gopkg.in/yaml.v3", "gopkg.in/yaml.v2", "sigs.k8s.io/yaml")  # fmt: skip
# By the names that Go gives them: `StatusBadRequest`.
_STATUSES = {
    "Status" + "".join(w.capitalize() if w != "OK" else w for w in s.name.split("_")): s.value for s in HTTPStatus
}  # fmt: skip
_INTEGER: tuple[ConstraintKind, object] = ("type", "integer")
_NUMBER: tuple[ConstraintKind, object] = ("type", "number")

language = Language(
    sizes=frozenset({"len", "unicode/utf8.RuneCountInString", "unicode/utf8.RuneCount"}),
    keeps=frozenset({"String"}),
    keeps_call=frozenset({
        "strings.TrimSpace", "strings.ToLower", "strings.ToUpper", "strings.Trim", "strings.TrimPrefix", "strings.TrimSuffix",
        "strings.TrimLeft", "strings.TrimRight", "strings.Title", "string", "int", "int8", "int16", "int32", "int64", "uint",
        "uint8", "uint16", "uint32", "uint64", "float32", "float64", "bool", "io.LimitReader", "net/http.MaxBytesReader",
        "io.NopCloser", "io.TeeReader", "bufio.NewReader", "bytes.NewReader", "bytes.NewBuffer", "strings.NewReader",
        *(f"{p}.NewDecoder" for p in _JSON), *(f"{p}.NewEncoder" for p in _JSON), "encoding/csv.NewReader",
    }),
    converts={},
    tests={},
    matchers={"MatchString": "none", "Match": "none", "regexp.MatchString": "none"},
    types={"string": "string", "int": "integer", "int64": "integer", "int32": "integer", "float64": "number",
           "float32": "number", "bool": "boolean", "map": "object", "[]": "array"},
    errors=Errors({"error": ""}, {}, "error"),
    assertion="",
    collections=frozenset(),
    pure=frozenset({"len", "cap", "Sprintf", "Sprint", "Sprintln", "Itoa", "FormatInt", "FormatFloat", "Join", "Split",
                    "Contains",
                    "HasPrefix", "HasSuffix", "EqualFold", "Index", "Fields", "Replace", "ReplaceAll", "Repeat", "Before",
                    "After",
                    "Equal", "IsZero", "Format", "Unix", "Now", "Since", "Sub", "Marshal", "MarshalIndent", "print", "println",
                    "max", "min", "Abs", "Is", "As", "TypeOf", "ValueOf", "DeepEqual", "Sort", "copy", "delete", "Done",
                    "Context", "WithContext", "Background", "WithTimeout", "Printf", "Println", "Fprintf", "Fprintln", "Fprint",
                    "New", "Errorf", "Set", "Add", "Header"}),
    formats=frozenset({"Sprintf", "Sprint", "Join", "Replace", "ReplaceAll", "Repeat", "Sprintln"}),
    notices=frozenset({"Debug", "Debugf", "Info", "Infof", "Warn", "Warnf", "Error", "Errorf", "Print", "Printf", "Println",
                       "Log", "Logf", "Debugw", "Infow", "Warnw", "Errorw", "Warning", "Warningf", "Msg", "Msgf", "Send",
                       "InfoContext", "ErrorContext", "WarnContext", "DebugContext", "Err", "Str", "WithError", "WithField",
                       "WithFields"}),
    callers={},
    sinks=_SINKS,
    missing_key="",
    adders=frozenset(),
    text_functions={"strings.HasPrefix": "^{}", "strings.HasSuffix": "{}$", "strings.Contains": "{}"},
    list_functions=frozenset({"slices.Contains", "golang.org/x/exp/slices.Contains", "github.com/samber/lo.Contains"}),
    pattern_makers=frozenset({"regexp.MustCompile", "regexp.Compile"}),
    text_patterns=True,
    missing_as="",
    takes_objects=True,
    empty_tests={"IsZero": "required"},
    returns_errors=True,
    fills={
        ".Decode": Fill(), ".Unmarshal": Fill(data=0, target=1),
        **{f"{p}.Unmarshal": Fill(data=0, target=1) for p in _JSON},
        "github.com/gorilla/schema.Decoder.Decode": Fill(data=1, view="schema"),
        "github.com/mitchellh/mapstructure.Decode": Fill(data=0, target=1, view="mapstructure~"),
        "github.com/go-viper/mapstructure.Decode": Fill(data=0, target=1, view="mapstructure~"),
    },
    stricter=frozenset({"DisallowUnknownFields"}),
    parses={
        "strconv.Atoi": (0, *_INTEGER), "strconv.ParseInt": (0, *_INTEGER), "strconv.ParseUint": (0, *_INTEGER),
        "strconv.ParseFloat": (0, *_NUMBER), "strconv.ParseBool": (0, "type", "boolean"),
        "github.com/google/uuid.Parse": (0, "format", "uuid"), "github.com/gofrs/uuid.FromString": (0, "format", "uuid"),
        "github.com/satori/go.uuid.FromString": (0, "format", "uuid"), "time.Parse": (1, "format", "date-time"),
        "time.ParseInLocation": (1, "format", "date-time"), "time.ParseDuration": (0, "format", "duration"),
        "net/mail.ParseAddress": (0, "format", "email"), "net/url.Parse": (0, "format", "uri-reference"),
        "net/url.ParseRequestURI": (0, "format", "uri"), "net/netip.ParseAddr": (0, "format", "ip"),
        "net.ParseCIDR": (0, "format", "cidr"), "net/netip.ParsePrefix": (0, "format", "cidr"),
        "github.com/shopspring/decimal.NewFromString": (0, *_NUMBER),
        "go.mongodb.org/mongo-driver/bson/primitive.ObjectIDFromHex": (0, "format", "mongodb-id"),
        "encoding/base64.StdEncoding.DecodeString": (0, "format", "base64"), "encoding/hex.DecodeString": (0, "format", "hex"),
    },
    constants={
        **{f"{p}.{name}": code for name, code in _STATUSES.items() for p in ("net/http", "github.com/gofiber/fiber")},
        **{f"net/http.Method{m.capitalize()}": m for m in ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS")},
        **{f"github.com/gofiber/fiber.Method{m.capitalize()}": m for m in ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE")},
    },
    reads_all=frozenset({"io.ReadAll", "io/ioutil.ReadAll"}),
    error_tests=frozenset({"errors.As", "github.com/pkg/errors.As"}),
    error_makers=frozenset({"errors.New", "fmt.Errorf", "github.com/pkg/errors.New", "github.com/pkg/errors.Errorf",
                            "github.com/pkg/errors.Wrap", "github.com/pkg/errors.Wrapf", "github.com/pkg/errors.WithStack",
                            "github.com/pkg/errors.WithMessage", "errors.Join", "golang.org/x/xerrors.Errorf",
                            "golang.org/x/xerrors.New"}),
)  # fmt: skip
