package harbour.manifests

import jakarta.validation.Valid
import jakarta.validation.constraints.Max
import jakarta.validation.constraints.Min
import jakarta.validation.constraints.Pattern
import jakarta.validation.constraints.Size
import org.springframework.http.HttpStatus
import org.springframework.web.bind.annotation.GetMapping
import org.springframework.web.bind.annotation.PathVariable
import org.springframework.web.bind.annotation.PostMapping
import org.springframework.web.bind.annotation.RequestBody
import org.springframework.web.bind.annotation.RequestMapping
import org.springframework.web.bind.annotation.RestController
import org.springframework.web.server.ResponseStatusException

data class Inspection(
    @field:Pattern(regexp = "[A-Z]{3}\\d{3}")
    val officer: String,
    @field:Min(1)
    @field:Max(600)
    val minutes: Int,
    // Without a site of its own this lands on the constructor.
    @Size(max = 400)
    val findings: String?,
)

@RestController
@RequestMapping("/inspections")
class InspectionController(private val manifests: ManifestService) {

    @PostMapping("/{number}")
    fun record(@PathVariable @Min(1) @Max(9999999) number: Long, @Valid @RequestBody inspection: Inspection) {
        manifests.find(number)
    }

    @GetMapping("/{number}/{officer}")
    fun one(@PathVariable @Min(1) @Max(9999999) number: Long, @PathVariable officer: String): ManifestRow {
        if (!officer.matches(Regex("[A-Z]{3}\\d{3}"))) {
            throw ResponseStatusException(HttpStatus.NOT_FOUND, "no such officer")
        }
        return manifests.find(number)
    }
}
