package harbour.manifests;

import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.Id;

@Entity
public class StowageRow {

    @Id
    @GeneratedValue
    private Long id;

    private int holds;

    protected StowageRow() {
    }

    public StowageRow(int holds) {
        this.holds = holds;
    }
}
