package harbour.manifests;

import jakarta.validation.constraints.Max;
import jakarta.validation.constraints.NotEmpty;
import jakarta.validation.constraints.NotNull;
import jakarta.validation.constraints.Positive;
import jakarta.validation.constraints.Size;
import java.util.List;

/** Where the cargo lies in the ship. */
public record Stowage(@NotEmpty @Size(max = 60) List<Hold> holds) {

    public record Hold(@NotNull @Positive @Max(24) Integer hold, @NotNull @Positive @Max(90_000) Integer tonnes) {}
}
