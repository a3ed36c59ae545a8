package harbour.manifests;

import org.springframework.data.jpa.repository.JpaRepository;

public interface StowageRepository extends JpaRepository<StowageRow, Long> {
    long countByHolds(int holds);
}
