package app;

import com.fasterxml.jackson.annotation.JsonIgnore;
import com.fasterxml.jackson.annotation.JsonProperty;
import jakarta.validation.Constraint;
import jakarta.validation.ConstraintValidator;
import jakarta.validation.ConstraintValidatorContext;
import jakarta.validation.ConstraintViolation;
import jakarta.validation.Payload;
import jakarta.validation.Valid;
import jakarta.validation.Validator;
import jakarta.validation.constraints.*;
import jakarta.validation.groups.ConvertGroup;
import jakarta.validation.groups.Default;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import org.hibernate.validator.constraints.Length;
import org.hibernate.validator.constraints.Range;
import org.hibernate.validator.constraints.URL;
import org.hibernate.validator.constraints.UniqueElements;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.validation.BindingResult;
import org.springframework.validation.annotation.Validated;
import org.springframework.web.bind.annotation.*;
import org.springframework.web.server.ResponseStatusException;

@RestController
public class Cases {
    private final Validator validator;

    public Cases(Validator validator) {
        this.validator = validator;
    }

    enum Kind { BAG, COAT }

    @Constraint(validatedBy = EvenValidator.class)
    @Retention(RetentionPolicy.RUNTIME)
    @interface Even {
        String message() default "even";
        Class<?>[] groups() default {};
        Class<? extends Payload>[] payload() default {};
    }

    static class EvenValidator implements ConstraintValidator<Even, Integer> {
        public boolean isValid(Integer value, ConstraintValidatorContext context) {
            return value == null || value % 2 == 0;
        }
    }

    @Size(min = 2, max = 4)
    @Pattern(regexp = "[A-Z]+")
    @Constraint(validatedBy = {})
    @Retention(RetentionPolicy.RUNTIME)
    @interface Code {
        String message() default "code";
        Class<?>[] groups() default {};
        Class<? extends Payload>[] payload() default {};
    }

    record All(
        @NotNull String notNull, @NotBlank String notBlank, @NotEmpty String notEmpty, @Size(min = 2, max = 5) String size,
        @Min(2) @Max(9) Integer number, @DecimalMin("0.5") @DecimalMax(value = "2.5", inclusive = false) BigDecimal decimal,
        @Positive int positive, @NegativeOrZero long negative, @Digits(integer = 3, fraction = 2) BigDecimal digits,
        @Email String email, @Pattern(regexp = "[a-z]+") String pattern, @Past LocalDate past, @Future LocalDate future,
        @AssertTrue boolean yes, @NotEmpty @Size(max = 2) List<@NotBlank @Size(max = 3) String> tags, @Length(min = 2, max = 4) String length,
        @Range(min = 2, max = 4) Integer range, @URL String url, @UniqueElements List<Integer> unique, @Even Integer even, @Code String code,
        Kind kind, UUID uuid, LocalDate day, Boolean flag, Map<@Size(max = 3) String, @Min(2) Integer> map
    ) {}

    @PostMapping("/all")
    void all(@Valid @RequestBody All body) {}

    @PostMapping("/none")
    void none(@RequestBody All body) {}

    record Leg(@NotBlank String from, @Size(max = 3) String to) {}

    record Nested(@Valid Leg entered, Leg left, @NotNull @Valid Leg needed, List<@Valid Leg> legs, @Valid List<Leg> older, List<Leg> plain) {}

    @PostMapping("/nested")
    void nested(@Valid @RequestBody Nested body) {}

    @PostMapping("/asked")
    ResponseEntity<Void> asked(@Valid @RequestBody Leg body, BindingResult result) {
        if (result.hasErrors()) {
            return ResponseEntity.unprocessableEntity().build();
        }
        return ResponseEntity.ok().build();
    }

    @PostMapping("/unasked")
    void unasked(@Valid @RequestBody Leg body, BindingResult result) {}

    @PostMapping("/list")
    void list(@Valid @RequestBody List<Leg> body) {}

    @PostMapping("/list-inside")
    void listInside(@RequestBody List<@Valid Leg> body) {}

    interface Create {}

    record Grouped(@NotBlank(groups = Create.class) String created, @NotBlank String usual) {}

    @PostMapping("/group")
    void group(@Validated(Create.class) @RequestBody Grouped body) {}

    @GetMapping("/implicit")
    void implicit(int page, String text, Integer many, boolean all) {}

    record Converting(@Valid @NotNull @ConvertGroup(from = Default.class, to = Create.class) Grouped inner) {}

    @PostMapping("/converted")
    void converted(@Valid @RequestBody Converting body) {}

    @PostMapping("/default-group")
    void defaultGroup(@Validated @RequestBody Grouped body) {}

    static class Base {
        @NotBlank
        private String above;

        public String getAbove() { return above; }

        public void setAbove(String above) { this.above = above; }
    }

    static class Bean extends Base {
        @JsonProperty("other_name")
        @NotNull
        private String renamed;
        private String onGetter;
        @Max(5)
        private Integer withDefault = 3;
        @JsonIgnore
        @NotNull
        private String hidden = "x";
        @Min(1)
        private int primitive;

        public String getRenamed() { return renamed; }

        public void setRenamed(String renamed) { this.renamed = renamed; }

        @Size(max = 3)
        public String getOnGetter() { return onGetter; }

        public void setOnGetter(String onGetter) { this.onGetter = onGetter; }

        public Integer getWithDefault() { return withDefault; }

        public void setWithDefault(Integer withDefault) { this.withDefault = withDefault; }

        public int getPrimitive() { return primitive; }

        public void setPrimitive(int primitive) { this.primitive = primitive; }
    }

    @PostMapping("/bean")
    void bean(@Valid @RequestBody Bean body) {}

    record Wrong(@Size(max = 3) Integer sized) {}

    @PostMapping("/wrong-size")
    void wrongSize(@Valid @RequestBody Wrong body) {}

    record WrongPattern(@Pattern(regexp = "a") Integer matched) {}

    @PostMapping("/wrong-pattern")
    void wrongPattern(@Valid @RequestBody WrongPattern body) {}

    record MinText(@Min(5) String text) {}

    @PostMapping("/min-text")
    void minText(@Valid @RequestBody MinText body) {}

    record Primitive(@NotNull int number, @NotNull boolean flag) {}

    @PostMapping("/primitive")
    void primitive(@Valid @RequestBody Primitive body) {}

    @PostMapping("/by-hand")
    void byHand(@RequestBody Leg body) {
        Set<ConstraintViolation<Leg>> found = validator.validate(body);
        if (!found.isEmpty()) {
            throw new ResponseStatusException(HttpStatus.BAD_REQUEST, "leg");
        }
    }

    @PostMapping("/by-hand-ignored")
    void byHandIgnored(@RequestBody Leg body) {
        Set<ConstraintViolation<Leg>> found = validator.validate(body);
        System.out.println(found.size());
    }

    @PostMapping("/guard")
    ResponseEntity<Void> guard(@RequestBody Guarded body) {
        if (body.name() == null || body.name().isBlank() || body.name().length() > 5) {
            return ResponseEntity.badRequest().build();
        }
        if (body.count() < 1 || body.count() > 9) {
            throw new IllegalArgumentException("count");
        }
        if (!body.code().matches("[A-Z]+")) {
            return ResponseEntity.status(HttpStatus.UNPROCESSABLE_ENTITY).build();
        }
        return ResponseEntity.ok().build();
    }

    record Guarded(String name, int count, String code) {}

    @GetMapping("/query")
    void query(@RequestParam @Min(2) int page, @RequestParam(required = false) @Size(max = 3) String text,
               @RequestParam(defaultValue = "5") @Max(9) int limit, @RequestParam Optional<Integer> maybe, @RequestParam Kind kind) {}

    @GetMapping("/path/{id}")
    void path(@PathVariable @Max(9) long id) {}

    record Filter(@NotNull @Max(9) Integer page, @Size(max = 3) String text) {}

    @GetMapping("/filter")
    void filter(@Valid Filter filter) {}

    @GetMapping("/filter-idle")
    void filterIdle(Filter filter) {}

    @PostMapping("/form")
    void form(@Valid @ModelAttribute Filter filter) {}
}
