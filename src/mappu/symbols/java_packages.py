"""Classes of well-known Java packages: which of several wildcard imports brings a name."""

LANG = frozenset({
    "String", "Integer", "Long", "Short", "Byte", "Character", "Boolean", "Double", "Float", "Number", "Object", "Void", "Enum",
    "Record", "Iterable", "CharSequence", "StringBuilder", "Math", "System", "Thread", "Runnable", "Class", "Exception",
    "RuntimeException", "IllegalArgumentException", "IllegalStateException", "NullPointerException", "NumberFormatException",
    "UnsupportedOperationException", "IndexOutOfBoundsException", "ArithmeticException", "ClassCastException", "Throwable",
    "Error", "Override", "Deprecated", "SuppressWarnings", "FunctionalInterface", "SafeVarargs", "Process", "ProcessBuilder",
    "Regex", "int", "long", "short", "byte", "char", "boolean", "double", "float", "void",
})  # fmt: skip

_CONSTRAINTS = frozenset({
    "NotNull", "Null", "NotBlank", "NotEmpty", "Size", "Min", "Max", "DecimalMin", "DecimalMax", "Digits", "Positive",
    "PositiveOrZero", "Negative", "NegativeOrZero", "Email", "Pattern", "Past", "PastOrPresent", "Future", "FutureOrPresent",
    "AssertTrue", "AssertFalse",
})  # fmt: skip
_VALIDATION = frozenset({
    "Valid", "Validator", "Validation", "ValidatorFactory", "Constraint", "ConstraintValidator", "ConstraintValidatorContext",
    "ConstraintViolation", "ConstraintViolationException", "ValidationException", "Payload", "GroupSequence",
    "ReportAsSingleViolation", "OverridesAttribute",
})  # fmt: skip
_REST = frozenset({
    "Path", "GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS", "PathParam", "QueryParam", "HeaderParam", "CookieParam",
    "FormParam", "MatrixParam", "BeanParam", "DefaultValue", "Consumes", "Produces", "ApplicationPath", "WebApplicationException",
    "BadRequestException", "NotFoundException", "NotAuthorizedException", "ForbiddenException", "ClientErrorException",
    "ServerErrorException", "InternalServerErrorException", "Encoded", "HttpMethod",
})  # fmt: skip
_PERSISTENCE = frozenset({
    "Entity", "Table", "Column", "Id", "GeneratedValue", "GenerationType", "ManyToOne", "OneToMany", "ManyToMany", "OneToOne",
    "JoinColumn", "Enumerated", "EnumType", "EntityManager", "MappedSuperclass", "Embeddable", "Embedded", "EmbeddedId",
    "Version", "Lob", "Transient", "PersistenceContext", "Temporal", "Basic", "Inheritance", "ElementCollection",
})  # fmt: skip

_FORM_BINDER = frozenset({
    "BeanValidationBinder", "Binder", "BindingException", "HasValidator", "PropertyId", "PropertySet", "ReadOnlyHasValue",
    "Result", "Setter", "ValidationException", "ValidationResult", "Validator", "ValueContext", "StatusChangeEvent",
    "ErrorLevel", "BinderValidationStatus", "BindingValidationStatus", "HasItems", "HasDataProvider",
})  # fmt: skip
PACKAGES: dict[str, frozenset[str]] = {
    **{f"{p}.validation.constraints": _CONSTRAINTS for p in ("jakarta", "javax")},
    **{f"{p}.validation": _VALIDATION for p in ("jakarta", "javax")},
    **{f"{p}.ws.rs": _REST for p in ("jakarta", "javax")},
    **{f"{p}.persistence": _PERSISTENCE for p in ("jakarta", "javax")},
    "com.vaadin.flow.data.binder": _FORM_BINDER,
    "org.hibernate.validator.constraints": frozenset({
        "Length", "Range", "URL", "UUID", "UniqueElements", "CreditCardNumber", "EAN", "ISBN", "LuhnCheck", "Mod10Check",
        "Mod11Check", "CodePointLength", "ScriptAssert", "ParameterScriptAssert", "Currency", "Normalized", "NotBlank",
        "NotEmpty", "Email", "ConstraintComposition", "CompositionType", "BitcoinAddress", "IpAddress",
    }),
    "org.springframework.web.bind.annotation": frozenset({
        "RestController", "RequestMapping", "GetMapping", "PostMapping", "PutMapping", "PatchMapping", "DeleteMapping",
        "RequestBody", "RequestParam", "PathVariable", "RequestHeader", "CookieValue", "RequestPart", "ModelAttribute",
        "RequestMethod", "ResponseStatus", "ResponseBody", "ExceptionHandler", "ControllerAdvice", "RestControllerAdvice",
        "InitBinder", "SessionAttribute", "RequestAttribute", "CrossOrigin", "MatrixVariable", "SessionAttributes",
    }),
    "org.springframework.validation": frozenset({"BindingResult", "Errors", "Validator", "FieldError", "ObjectError",
                                                 "BindException"}),
    "org.springframework.validation.annotation": frozenset({"Validated"}),
    "org.springframework.http": frozenset({"ResponseEntity", "HttpStatus", "HttpStatusCode", "HttpEntity", "MediaType",
                                           "ProblemDetail", "HttpHeaders", "HttpMethod"}),
    "org.springframework.stereotype": frozenset({"Controller", "Service", "Component", "Repository"}),
    "io.micronaut.http.annotation": frozenset({"Controller", "Get", "Post", "Put", "Patch", "Delete", "Head", "Options", "Body",
                                               "QueryValue", "PathVariable", "Header", "CookieValue", "Part", "Error", "Status",
                                               "RequestBean", "Consumes", "Produces", "RequestAttribute"}),
    "lombok": frozenset({"Data", "Getter", "Setter", "Value", "Builder", "NonNull", "AllArgsConstructor", "NoArgsConstructor",
                         "RequiredArgsConstructor", "ToString", "EqualsAndHashCode", "With"}),
    "java.util": frozenset({
        "List", "Set", "Map", "Collection", "ArrayList", "LinkedList", "HashMap", "LinkedHashMap", "TreeMap", "HashSet",
        "LinkedHashSet", "TreeSet", "Optional", "OptionalInt", "OptionalLong", "OptionalDouble", "UUID", "Date", "Arrays",
        "Collections", "Objects", "Locale", "Iterator", "Queue", "Deque", "EnumMap", "EnumSet", "SortedSet", "SortedMap",
        "Currency",
        "NoSuchElementException", "Calendar", "TimeZone", "Random", "Scanner", "Base64", "StringJoiner", "Properties",
    }),
    "java.time": frozenset({
        "LocalDate", "LocalTime", "LocalDateTime", "Instant", "ZonedDateTime", "OffsetDateTime", "OffsetTime", "Duration",
        "Period", "Year", "YearMonth", "MonthDay", "ZoneId", "ZoneOffset", "DayOfWeek", "Month", "Clock",
    }),
    "java.math": frozenset({"BigDecimal", "BigInteger", "RoundingMode", "MathContext"}),
}  # fmt: skip
