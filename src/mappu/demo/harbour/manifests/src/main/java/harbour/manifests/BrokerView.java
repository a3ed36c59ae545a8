package harbour.manifests;

import com.vaadin.flow.component.button.Button;
import com.vaadin.flow.component.formlayout.FormLayout;
import com.vaadin.flow.component.textfield.EmailField;
import com.vaadin.flow.component.textfield.IntegerField;
import com.vaadin.flow.component.textfield.TextField;
import com.vaadin.flow.data.binder.BeanValidationBinder;
import com.vaadin.flow.data.binder.Binder;
import com.vaadin.flow.router.Route;

/** The form at the harbour desk. */
@Route("desk/brokers")
public class BrokerView extends FormLayout {
    private final Binder<Broker> binder = new BeanValidationBinder<>(Broker.class);
    private final TextField name = new TextField("Name");
    private final EmailField mail = new EmailField("Mail");
    private final TextField phone = new TextField("Phone");
    private final IntegerField ships = new IntegerField("Ships");

    public BrokerView(ManifestService manifests) {
        binder.forField(phone).bind(Broker::getPhone, Broker::setPhone);
        binder.bindInstanceFields(this);
        Broker broker = new Broker();
        Button save = new Button("Save", click -> {
            if (binder.writeBeanIfValid(broker)) {
                manifests.welcome(broker);
            }
        });
        add(name, mail, phone, ships, save);
    }
}
