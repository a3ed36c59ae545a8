package harbour.manifests;

import jakarta.validation.constraints.Email;
import jakarta.validation.constraints.Max;
import jakarta.validation.constraints.NotBlank;
import jakarta.validation.constraints.NotNull;
import jakarta.validation.constraints.Pattern;
import jakarta.validation.constraints.Positive;
import jakarta.validation.constraints.Size;
import lombok.Getter;
import lombok.Setter;

/** Who hands in manifests for ships, as the desk writes it down. */
@Getter
@Setter
public class Broker {
    @NotBlank
    @Size(max = 80)
    private String name;

    @NotBlank
    @Email
    @Size(max = 120)
    private String mail;

    @Pattern(regexp = "\\+[0-9 ]{6,20}")
    private String phone;

    @NotNull
    @Positive
    @Max(400)
    private Integer ships;
}
