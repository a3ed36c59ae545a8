package harbour.manifests;

import jakarta.validation.Valid;
import jakarta.validation.constraints.Max;
import jakarta.validation.constraints.Min;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.validation.annotation.Validated;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;

@RestController
@RequestMapping("/stowage")
@Validated
public class StowageController {

    private final StowageRepository stowages;

    public StowageController(StowageRepository stowages) {
        this.stowages = stowages;
    }

    @PostMapping
    public ResponseEntity<Void> enter(@Valid @RequestBody Stowage stowage) {
        stowages.save(new StowageRow(stowage.holds().size()));
        return ResponseEntity.status(HttpStatus.CREATED).build();
    }

    // With @Validated on the class an interceptor checks this, and nothing answers its error.
    @GetMapping
    public long count(@RequestParam @Min(1) @Max(24) int hold) {
        return stowages.countByHolds(hold);
    }

    @PutMapping
    public ResponseEntity<Void> balance(@RequestBody Balance balance) {
        if (balance.tonnes() < 0 || balance.tonnes() > 90_000) {
            return ResponseEntity.badRequest().build();
        }
        stowages.save(new StowageRow(balance.tonnes()));
        return ResponseEntity.noContent().build();
    }

    public record Balance(int tonnes) {}
}
