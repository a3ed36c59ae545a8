package harbour.manifests;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.Id;
import java.time.LocalDate;

@Entity
public class ManifestRow {

    @Id
    @GeneratedValue
    private Long number;

    @Column(length = 9, nullable = false)
    private String mmsi;

    @Column(length = 60, nullable = false)
    private String master;

    private LocalDate loaded;

    @Column(length = 5)
    private String port;

    @Column(length = 9)
    private String seal;

    @Column(length = 60)
    private String officer;

    public Long getNumber() {
        return number;
    }

    public void setMmsi(String mmsi) {
        this.mmsi = mmsi;
    }

    public void setMaster(String master) {
        this.master = master;
    }

    public void setLoaded(LocalDate loaded) {
        this.loaded = loaded;
    }

    public void setPort(String port) {
        this.port = port;
    }

    public void setSeal(String seal) {
        this.seal = seal;
    }

    public void setOfficer(String officer) {
        this.officer = officer;
    }
}
