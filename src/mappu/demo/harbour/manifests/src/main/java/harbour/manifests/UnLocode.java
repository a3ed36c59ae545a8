package harbour.manifests;

import jakarta.validation.Constraint;
import jakarta.validation.Payload;
import jakarta.validation.constraints.Pattern;
import jakarta.validation.constraints.Size;
import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/** A port's code: two letters for the country, three for the place. */
@Size(min = 5, max = 5)
@Pattern(regexp = "[A-Z]{2}[A-Z2-9]{3}")
@Constraint(validatedBy = {})
@Retention(RetentionPolicy.RUNTIME)
@Target({ElementType.FIELD, ElementType.PARAMETER, ElementType.TYPE_USE})
public @interface UnLocode {
    String message() default "a port's code";

    Class<?>[] groups() default {};

    Class<? extends Payload>[] payload() default {};
}
