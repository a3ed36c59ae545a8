package harbour.manifests;

import jakarta.validation.constraints.NotBlank;
import jakarta.validation.constraints.NotNull;
import jakarta.validation.constraints.Pattern;
import jakarta.validation.constraints.Size;

public class Sealing {

    @NotNull
    @Pattern(regexp = "[A-Z]{3}\\d{6}")
    private String seal;

    @NotBlank
    @Size(max = 60)
    private String officer;

    public String getSeal() {
        return seal;
    }

    public void setSeal(String seal) {
        this.seal = seal;
    }

    public String getOfficer() {
        return officer;
    }

    public void setOfficer(String officer) {
        this.officer = officer;
    }
}
