package app;

import jakarta.validation.constraints.Max;
import org.springframework.validation.annotation.Validated;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;

@RestController
@Validated
public class Intercepted {
    @GetMapping("/intercepted")
    void intercepted(@RequestParam @Max(9) int page) {}
}
