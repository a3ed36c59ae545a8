package app;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.validation.ConstraintViolationException;
import jakarta.validation.Valid;
import jakarta.validation.constraints.NotBlank;
import jakarta.validation.constraints.Size;
import org.springframework.data.jpa.repository.JpaRepository;
import org.springframework.http.HttpStatus;
import org.springframework.http.ProblemDetail;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.ExceptionHandler;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.bind.annotation.RestControllerAdvice;

@Entity
class Boat {
    @Id
    @GeneratedValue
    private Long ref;

    @NotBlank
    @Column(name = "origin") private String from;

    @Size(max = 3)
    @Column(name = "goal") private String to;

    public String getFrom() { return from; }
    public void setFrom(String from) { this.from = from; }
    public String getTo() { return to; }
    public void setTo(String to) { this.to = to; }
}

@Entity
class Buoy {
    @Id
    @GeneratedValue(strategy = GenerationType.IDENTITY)
    private Long ref;

    @NotBlank
    @Column(name = "origin") private String from;

    public String getFrom() { return from; }
    public void setFrom(String from) { this.from = from; }
}

interface Boats extends JpaRepository<Boat, Long> {}

interface Buoys extends JpaRepository<Buoy, Long> {}

@RestController
class Unmapped {
    private final Boats boats;
    private final Buoys buoys;

    Unmapped(Boats boats, Buoys buoys) {
        this.boats = boats;
        this.buoys = buoys;
    }

    @PostMapping("/late")
    void late(@RequestBody Boat body) { boats.save(body); }

    @PostMapping("/at-once")
    void atOnce(@RequestBody Buoy body) { buoys.save(body); }

    @PostMapping("/flushed")
    void flushed(@RequestBody Boat body) { boats.saveAndFlush(body); }

    @PostMapping("/valid")
    void valid(@Valid @RequestBody Boat body) { boats.save(body); }

    @PostMapping("/not-stored")
    void notStored(@RequestBody Boat body) {}
}

@RestController
class Mapped {
    private final Boats boats;

    Mapped(Boats boats) { this.boats = boats; }

    @PostMapping("/mapped")
    void mapped(@RequestBody Boat body) { boats.save(body); }

    @ExceptionHandler(ConstraintViolationException.class)
    @ResponseStatus(HttpStatus.BAD_REQUEST)
    void violated() {}
}

@RestController
class Advised {
    private final Boats boats;

    Advised(Boats boats) { this.boats = boats; }

    @PostMapping("/advised")
    void advised(@RequestBody Boat body) { boats.save(body); }
}

@RestControllerAdvice(assignableTypes = Advised.class)
class ForOne {
    @ExceptionHandler
    ProblemDetail violated(ConstraintViolationException error) { return ProblemDetail.forStatus(HttpStatus.BAD_REQUEST); }
}

@RestControllerAdvice(basePackages = "app.elsewhere")
class Elsewhere {
    @ExceptionHandler
    ResponseEntity<Void> violated(ConstraintViolationException error) { return ResponseEntity.badRequest().build(); }
}
