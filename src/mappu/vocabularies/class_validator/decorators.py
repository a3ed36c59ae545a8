"""What each decorator of class-validator checks: a table."""

from collections.abc import Mapping

import msgspec

from mappu.inventory.model import ConstraintKind, FieldType


class Meaning(msgspec.Struct, frozen=True):
    """What a decorator checks: the type it asks for ("any" for none), the constraints (kind and either the position of the
    argument, or a value of its own), and whether an absent value is refused by it."""

    type: FieldType = "any"
    takes: tuple[tuple[ConstraintKind, int], ...] = ()
    fixed: tuple[tuple[ConstraintKind, object], ...] = ()
    closed: bool = False
    refuses_absent: bool = True


def _format(name: str, closed: bool = False) -> Meaning:
    return Meaning("string", fixed=(("format", name),), closed=closed)


def _pattern(text: str) -> Meaning:
    return Meaning("string", fixed=(("pattern", text),))


MEANINGS: Mapping[str, Meaning] = {
    "IsString": Meaning("string"), "IsInt": Meaning("integer"), "IsNumber": Meaning("number"),
    "IsBoolean": Meaning("boolean", closed=True), "IsArray": Meaning("array"), "IsObject": Meaning("object"),
    "IsNotEmptyObject": Meaning("object", fixed=(("minProperties", 1),)),
    "IsDate": Meaning("string", fixed=(("format", "date-time"),), closed=True),
    "IsDefined": Meaning(), "IsNotEmpty": Meaning(fixed=(("notEmpty", None),)), "IsEmpty": Meaning(refuses_absent=False),
    "Equals": Meaning(takes=(("const", 0),)), "NotEquals": Meaning(fixed=(("custom", "NotEquals"),)),
    "IsIn": Meaning(takes=(("enum", 0),), closed=True), "IsNotIn": Meaning(fixed=(("custom", "IsNotIn"),)),
    "IsEnum": Meaning(takes=(("enum", 0),), closed=True),
    "IsDivisibleBy": Meaning("number", takes=(("multipleOf", 0),)),
    "IsPositive": Meaning("number", fixed=(("exclusiveMinimum", 0),)),
    "IsNegative": Meaning("number", fixed=(("exclusiveMaximum", 0),)),
    "Min": Meaning("number", takes=(("minimum", 0),)), "Max": Meaning("number", takes=(("maximum", 0),)),
    "MinDate": Meaning("string", takes=(("minimum", 0),)), "MaxDate": Meaning("string", takes=(("maximum", 0),)),
    "MinLength": Meaning("string", takes=(("minLength", 0),)), "MaxLength": Meaning("string", takes=(("maxLength", 0),)),
    "Length": Meaning("string", takes=(("minLength", 0), ("maxLength", 1))),
    "Matches": Meaning("string", takes=(("pattern", 0),)), "Contains": Meaning("string", takes=(("pattern", 0),)),
    "NotContains": Meaning("string", fixed=(("custom", "NotContains"),)),
    "ArrayMinSize": Meaning("array", takes=(("minItems", 0),)), "ArrayMaxSize": Meaning("array", takes=(("maxItems", 0),)),
    "ArrayNotEmpty": Meaning("array", fixed=(("minItems", 1),)), "ArrayUnique": Meaning("array", fixed=(("uniqueItems", True),)),
    "ArrayContains": Meaning("array", fixed=(("custom", "ArrayContains"),)),
    "ArrayNotContains": Meaning("array", fixed=(("custom", "ArrayNotContains"),)),
    "IsAlpha": _pattern("^[a-zA-Z]+$"), "IsAlphanumeric": _pattern("^[a-zA-Z0-9]+$"), "IsAscii": _pattern(r"^[\x00-\x7F]+$"),
    "IsDecimal": _format("decimal"), "IsNumberString": _format("number"), "IsBooleanString": _format("boolean", True),
    "IsHexColor": _format("hex-color"), "IsHexadecimal": _format("hex"), "IsLowercase": _format("lowercase"),
    "IsUppercase": _format("uppercase"), "IsBase64": _format("base64"), "IsJSON": _format("json"), "IsJWT": _format("jwt"),
    "IsEmail": _format("email"), "IsUrl": _format("uri"), "IsURL": _format("uri"), "IsUUID": _format("uuid", True),
    "IsIP": _format("ip", True), "IsFQDN": _format("hostname"), "IsPort": _format("port"), "IsMongoId": _format("mongo-id", True),
    "IsDateString": _format("date-time", True), "IsISO8601": _format("date-time", True), "IsRFC3339": _format("date-time", True),
    "IsMilitaryTime": _format("time", True), "IsTimeZone": _format("time-zone"), "IsPhoneNumber": _format("phone"),
    "IsMobilePhone": _format("phone"), "IsCreditCard": _format("credit-card"), "IsCurrency": _format("currency"),
    "IsISBN": _format("isbn"), "IsISIN": _format("isin"), "IsIBAN": _format("iban"), "IsBIC": _format("bic"),
    "IsSemVer": _format("semver"), "IsLocale": _format("locale"), "IsMACAddress": _format("mac"),
    "IsDataURI": _format("data-uri"),
    "IsMimeType": _format("mime-type"), "IsISO31661Alpha2": _format("country", True),
    "IsISO31661Alpha3": _format("country", True), "IsISO4217CurrencyCode": _format("currency-code", True),
    "IsLatLong": _format("lat-long"), "IsMagnetURI": _format("magnet"), "IsHash": _format("hash"), "IsOctal": _format("octal"),
    "IsPostalCode": _format("postal-code"), "IsRgbColor": _format("rgb-color"), "IsHSL": _format("hsl"), "IsEAN": _format("ean"),
    "IsBtcAddress": _format("btc-address"), "IsEthereumAddress": _format("eth-address"), "IsBase32": _format("base32"),
    "IsBase58": _format("base58"), "IsISSN": _format("issn"), "IsISRC": _format("isrc"), "IsPassportNumber": _format("passport"),
    "IsIdentityCard": _format("identity-card"), "IsTaxId": _format("tax-id"), "IsFirebasePushId": _format("firebase-push-id"),
    "IsLatitude": Meaning(fixed=(("minimum", -90), ("maximum", 90))),
    "IsLongitude": Meaning(fixed=(("minimum", -180), ("maximum", 180))),
    "IsStrongPassword": Meaning("string", fixed=(("custom", "IsStrongPassword"),)),
    "IsByteLength": Meaning("string", fixed=(("custom", "IsByteLength"),)),
    "IsInstance": Meaning(fixed=(("custom", "IsInstance"),)), "Validate": Meaning(takes=(("custom", 0),), refuses_absent=False),
    "ValidateBy": Meaning(fixed=(("custom", "ValidateBy"),)),
}  # fmt: skip

PACKAGE = "class-validator"
TRANSFORMER = "class-transformer"
# Decorators that are no rules by themselves.
OPTIONAL, CONDITION, NESTED, ALLOW = "IsOptional", "ValidateIf", "ValidateNested", "Allow"
