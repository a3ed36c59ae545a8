package harbour.manifests;

import jakarta.validation.Valid;
import jakarta.validation.constraints.NotBlank;
import jakarta.validation.constraints.NotEmpty;
import jakarta.validation.constraints.NotNull;
import jakarta.validation.constraints.Past;
import jakarta.validation.constraints.Pattern;
import jakarta.validation.constraints.Positive;
import jakarta.validation.constraints.Max;
import jakarta.validation.constraints.Size;
import java.time.LocalDate;
import java.util.List;

/** What a ship declares before it may unload. */
public record Manifest(
    @NotNull @Pattern(regexp = "\\d{9}", message = "{harbour.mmsi}") String mmsi,
    @NotBlank @Size(max = 80) String master,
    @NotNull @Past LocalDate loaded,
    @NotNull @Valid Port from,
    @NotEmpty @Size(max = 500) List<@Valid Cargo> cargo
) {
    public record Port(@NotNull @UnLocode String code, @Size(max = 60) String name) {}

    public record Cargo(
        @NotBlank @Size(max = 120) String goods,
        @NotNull Packing packing,
        @Positive @Max(9999) int pieces,
        @NotNull @Positive @Max(400_000) Integer kilograms
    ) {}

    public enum Packing { BULK, CRATE, DRUM, CONTAINER }
}
