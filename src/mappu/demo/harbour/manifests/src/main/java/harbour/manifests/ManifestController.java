package harbour.manifests;

import jakarta.validation.Valid;
import jakarta.validation.constraints.Max;
import jakarta.validation.constraints.Min;
import jakarta.validation.constraints.NotBlank;
import jakarta.validation.constraints.Size;
import java.util.List;
import java.util.Map;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.validation.BindingResult;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;

@RestController
@RequestMapping("/cargo")
public class ManifestController {

    private final ManifestService manifests;

    public ManifestController(ManifestService manifests) {
        this.manifests = manifests;
    }

    @PostMapping
    @ResponseStatus(HttpStatus.CREATED)
    public long declare(@Valid @RequestBody Manifest manifest) {
        return manifests.declare(manifest);
    }

    @GetMapping("/{number}")
    public ManifestRow one(@PathVariable @Min(1) @Max(9_999_999) long number) {
        return manifests.find(number);
    }

    @GetMapping
    public List<ManifestRow> list(@RequestParam(defaultValue = "20") @Min(1) @Max(100) int limit) {
        return manifests.list(limit);
    }

    @GetMapping("/{number}/lines/{line}")
    public ManifestRow line(@PathVariable @Min(1) @Max(9_999_999) long number, @PathVariable @Min(1) @Max(500) int line) {
        return manifests.find(number);
    }

    @PostMapping("/{number}/release")
    public ResponseEntity<Void> release(@PathVariable @Min(1) @Max(9_999_999) long number, @Valid @RequestBody Release release) {
        if (release.officer().equals(release.witness())) {
            return ResponseEntity.unprocessableEntity().build();
        }
        manifests.find(number);
        return ResponseEntity.noContent().build();
    }

    public record Release(@NotBlank @Size(max = 60) String officer, @NotBlank @Size(max = 60) String witness) {}

    // The customs office's search.
    @GetMapping("/search")
    public List<Map<String, Object>> search(@RequestParam String goods) {
        return manifests.search(goods);
    }

    // A corrected manifest takes the place of the old one.
    @PutMapping("/{number}")
    public void replace(@PathVariable @Min(1) @Max(9_999_999) long number, @RequestBody Manifest manifest) {
        manifests.replace(number, manifest);
    }

    // Sent by the agents' own program, which asks for the answer in its own form.
    @PostMapping("/agents")
    public ResponseEntity<Long> fromAgent(@Valid @RequestBody Manifest manifest, BindingResult result) {
        return ResponseEntity.status(HttpStatus.CREATED).body(manifests.declare(manifest));
    }

    @PostMapping("/{number}/seals")
    public ResponseEntity<Void> seal(@PathVariable @Min(1) @Max(9_999_999) long number, @Valid @RequestBody Sealing sealing,
            BindingResult result) {
        if (result.hasErrors()) {
            return ResponseEntity.unprocessableEntity().build();
        }
        manifests.seal(number, sealing.getSeal(), sealing.getOfficer());
        return ResponseEntity.noContent().build();
    }

    @DeleteMapping("/{number}")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    public void withdraw(@PathVariable @Min(1) @Max(9_999_999) long number) {
        manifests.withdraw(number);
    }
}
