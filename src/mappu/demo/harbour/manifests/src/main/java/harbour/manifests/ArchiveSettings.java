package harbour.manifests;

import jakarta.validation.constraints.NotBlank;
import jakarta.validation.constraints.Positive;
import org.springframework.boot.context.properties.ConfigurationProperties;

@ConfigurationProperties("harbour.archive")
public record ArchiveSettings(@NotBlank String folder, @Positive int days) {
}
