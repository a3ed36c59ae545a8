package harbour.manifests;

import jakarta.validation.constraints.Email;
import jakarta.validation.constraints.Max;
import jakarta.validation.constraints.Min;
import jakarta.validation.constraints.NotBlank;
import org.springframework.boot.context.properties.ConfigurationProperties;
import org.springframework.validation.annotation.Validated;

@ConfigurationProperties("harbour.manifests")
@Validated
public record ManifestSettings(@NotBlank @Email String customsOffice, @Min(1) @Max(30) int keepForDays) {
}
