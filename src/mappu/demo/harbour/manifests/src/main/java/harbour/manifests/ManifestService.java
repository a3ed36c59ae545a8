package harbour.manifests;

import java.util.List;
import java.util.Map;
import org.springframework.data.domain.PageRequest;
import org.springframework.jdbc.core.JdbcTemplate;
import org.springframework.stereotype.Service;

@Service
public class ManifestService {

    private final ManifestRepository manifests;
    private final JdbcTemplate jdbc;

    public ManifestService(ManifestRepository manifests, JdbcTemplate jdbc) {
        this.manifests = manifests;
        this.jdbc = jdbc;
    }

    public long declare(Manifest manifest) {
        ManifestRow row = new ManifestRow();
        fill(row, manifest);
        return manifests.save(row).getNumber();
    }

    public ManifestRow find(long number) {
        return manifests.findById(number).orElseThrow(() -> new NoSuchManifest(number));
    }

    public List<ManifestRow> list(int limit) {
        return manifests.findAll(PageRequest.of(0, limit)).getContent();
    }

    public List<Map<String, Object>> search(String goods) {
        return jdbc.queryForList("select * from cargo where goods like '%" + goods + "%'");
    }

    public void replace(long number, Manifest manifest) {
        ManifestRow row = find(number);
        fill(row, manifest);
        manifests.save(row);
    }

    public void seal(long number, String seal, String officer) {
        ManifestRow row = find(number);
        row.setSeal(seal);
        row.setOfficer(officer);
        manifests.save(row);
    }

    public void welcome(Broker broker) {
        jdbc.update(
            "insert into broker (name, mail, phone, ships) values (?, ?, ?, ?)",
            broker.getName(), broker.getMail(), broker.getPhone(), broker.getShips());
    }

    public void withdraw(long number) {
        manifests.delete(find(number));
    }

    private void fill(ManifestRow row, Manifest manifest) {
        row.setMmsi(manifest.mmsi());
        row.setMaster(manifest.master());
        row.setLoaded(manifest.loaded());
        row.setPort(manifest.from().code());
    }
}
