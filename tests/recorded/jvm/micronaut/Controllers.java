package app;

import io.micronaut.core.annotation.Introspected;
import io.micronaut.core.annotation.Nullable;
import io.micronaut.http.HttpResponse;
import io.micronaut.http.HttpStatus;
import io.micronaut.http.annotation.*;
import io.micronaut.http.exceptions.HttpStatusException;
import jakarta.validation.Valid;
import jakarta.validation.constraints.*;
import java.util.List;

@Controller("/")
public class Controllers {
    @Introspected
    public record Leg(@NotBlank String from, @Nullable @Size(max = 3) String to) {}

    @Introspected
    public record Crew(@NotNull @Valid Leg entered, @Nullable Leg left, @Nullable List<@Valid Leg> legs) {}

    @Post("/valid")
    public HttpResponse<?> valid(@Valid @Body Leg leg) { return HttpResponse.ok(); }

    @Post("/idle")
    public HttpResponse<?> idle(@Body Leg leg) { return HttpResponse.ok(); }

    @Post("/crew")
    public HttpResponse<?> crew(@Valid @Body Crew crew) { return HttpResponse.ok(); }

    @Get("/query")
    public HttpResponse<?> query(@QueryValue @Max(9) int page, @Nullable @QueryValue @Size(max = 3) String text,
                                 @QueryValue(defaultValue = "5") @Max(9) int limit) {
        return HttpResponse.ok();
    }

    @Get("/path/{id}")
    public HttpResponse<?> path(@Max(9) long id) { return HttpResponse.ok(); }

    @Post("/guard")
    public HttpResponse<?> guard(@Body Plain leg) {
        if (leg.from() == null || leg.from().length() > 5) {
            return HttpResponse.badRequest();
        }
        if (leg.to() != null && !leg.to().matches("[a-z]+")) {
            throw new HttpStatusException(HttpStatus.UNPROCESSABLE_ENTITY, "to");
        }
        if ("zz".equals(leg.to())) {
            throw new IllegalStateException("to");
        }
        return HttpResponse.ok();
    }

    @Introspected
    public record Plain(@Nullable String from, @Nullable String to) {}
}
