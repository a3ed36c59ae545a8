package harbour.manifests;

import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;

@SpringBootApplication
public class ManifestsApplication {
    public static void main(String[] args) {
        SpringApplication.run(ManifestsApplication.class, args);
    }
}
