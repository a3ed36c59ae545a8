package app;

import com.vaadin.flow.component.HasValue;
import com.vaadin.flow.component.textfield.IntegerField;
import com.vaadin.flow.component.textfield.TextField;
import com.vaadin.flow.data.binder.BeanValidationBinder;
import com.vaadin.flow.data.binder.Binder;
import com.vaadin.flow.data.binder.PropertyId;
import com.vaadin.flow.data.validator.EmailValidator;
import com.vaadin.flow.data.validator.IntegerRangeValidator;
import com.vaadin.flow.data.validator.RegexpValidator;
import com.vaadin.flow.data.validator.StringLengthValidator;
import com.vaadin.flow.router.Route;
import jakarta.validation.Valid;
import jakarta.validation.constraints.*;

public class Views {
    public static class Inner {
        @Size(max = 3) private String code;
        public String getCode() { return code; }
        public void setCode(String code) { this.code = code; }
    }

    public static class Stay {
        @NotBlank private String from;
        @Size(max = 3) private String to;
        @NotNull @Max(9) private Integer n;
        @Valid private Inner inner = new Inner();
        public String getFrom() { return from; }
        public void setFrom(String from) { this.from = from; }
        public String getTo() { return to; }
        public void setTo(String to) { this.to = to; }
        public Integer getN() { return n; }
        public void setN(Integer n) { this.n = n; }
        public Inner getInner() { return inner; }
        public void setInner(Inner inner) { this.inner = inner; }
    }

    /** What the recorder fills and then writes. */
    public abstract static class View {
        TextField from = new TextField();
        TextField to = new TextField();
        IntegerField n = new IntegerField();
        TextField code = new TextField();

        public HasValue<?, ?> field(String name) {
            return name.equals("from") ? from : name.equals("to") ? to : name.equals("n") ? n : code;
        }

        abstract boolean write();
    }

    @Route("named")
    public static class Named extends View {
        private final Binder<Stay> binder = new BeanValidationBinder<>(Stay.class);

        public Named() {
            binder.bind(from, "from");
            binder.forField(to).bind("to");
            binder.forField(n).bind("n");
            binder.forField(code).bind("inner.code");
        }

        boolean write() { return binder.writeBeanIfValid(new Stay()); }
    }

    @Route("accessors")
    public static class Accessors extends View {
        private final BeanValidationBinder<Stay> binder = new BeanValidationBinder<>(Stay.class);

        public Accessors() {
            binder.bind(from, Stay::getFrom, Stay::setFrom);
            binder.forField(to).bind(s -> s.getTo(), (s, v) -> s.setTo(v));
            binder.forField(n).bind(Stay::getN, Stay::setN);
        }

        boolean write() { return binder.writeBeanIfValid(new Stay()); }
    }

    @Route("plain")
    public static class Plain extends View {
        private final Binder<Stay> binder = new Binder<>(Stay.class);

        public Plain() {
            binder.forField(from).bind("from");
            binder.forField(to).bind("to");
        }

        boolean write() { return binder.writeBeanIfValid(new Stay()); }
    }

    @Route("members")
    public static class Members {
        private final Binder<Stay> binder = new BeanValidationBinder<>(Stay.class);
        private final TextField from = new TextField();
        private final TextField other = new TextField();
        @PropertyId("n") private final IntegerField number = new IntegerField();

        public Members() {
            binder.forMemberField(from).withValidator(new StringLengthValidator("no", 1, 4));
            binder.forField(other).bind("to");
            binder.bindInstanceFields(this);
        }

        public HasValue<?, ?> field(String name) { return name.equals("from") ? from : name.equals("to") ? other : number; }

        boolean write() { return binder.writeBeanIfValid(new Stay()); }
    }

    @Route("by-hand")
    public static class ByHand extends View {
        private final Binder<Stay> binder = new Binder<>();

        public ByHand() {
            binder.forField(from).asRequired("no").withValidator(new RegexpValidator("no", "[a-z]+")).bind(Stay::getFrom, Stay::setFrom);
            binder.forField(to).withValidator(new EmailValidator("no")).bind(Stay::getTo, Stay::setTo);
            binder.forField(n).withValidator(new IntegerRangeValidator("no", 1, 5)).bind(Stay::getN, Stay::setN);
        }

        boolean write() { return binder.validate().isOk() && binder.writeBeanIfValid(new Stay()); }
    }

    @Route("forced")
    public static class Forced extends View {
        private final Binder<Stay> binder = new BeanValidationBinder<>(Stay.class);

        public Forced() {
            binder.bind(from, "from");
            binder.bind(to, "to");
        }

        boolean write() {
            Stay stay = new Stay();
            binder.writeBeanAsDraft(stay, true);
            return from.getValue().equals(stay.getFrom()) && to.getValue().equals(stay.getTo());
        }
    }
}
