package harbour.manifests;

import org.springframework.data.jpa.repository.JpaRepository;

public interface ManifestRepository extends JpaRepository<ManifestRow, Long> {
}
