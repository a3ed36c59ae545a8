package harbour.manifests;

import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.ResponseStatus;

@ResponseStatus(HttpStatus.NOT_FOUND)
public class NoSuchManifest extends RuntimeException {
    public NoSuchManifest(long number) {
        super("no manifest " + number);
    }
}
