package app

import jakarta.validation.Valid
import jakarta.validation.constraints.*
import org.springframework.web.bind.annotation.*

data class Leg(@field:NotBlank val from: String, @field:Size(max = 3) val to: String?)

data class Fields(
    @field:NotBlank val on: String,
    @NotBlank val off: String,
    @get:Max(9) val n: Int,
    val usual: String = "x",
    val told: String,
    val texts: List<@NotBlank String> = listOf(),
)

data class Nested(@field:Valid val entered: Leg, @Valid val left: Leg)

data class Lists(@field:Valid val legs: List<Leg>, val inside: List<@Valid Leg>)

@RestController
class Cases {
    @PostMapping("/fields")
    fun fields(@Valid @RequestBody body: Fields) {}

    @PostMapping("/nested")
    fun nested(@Valid @RequestBody body: Nested) {}

    @PostMapping("/lists")
    fun lists(@Valid @RequestBody body: Lists) {}

    @GetMapping("/query")
    fun query(@RequestParam page: Int = 4, @RequestParam text: String?, @RequestParam @Size(max = 3) q: String) {}

    @GetMapping("/implicit")
    fun implicit(page: Int, text: String, q: String?, usual: String = "x") {}
}
