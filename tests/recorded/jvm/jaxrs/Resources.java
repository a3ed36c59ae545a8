package app;

import jakarta.validation.Valid;
import jakarta.validation.constraints.*;
import jakarta.ws.rs.*;
import jakarta.ws.rs.core.MediaType;
import jakarta.ws.rs.core.Response;
import jakarta.ws.rs.ext.ExceptionMapper;
import jakarta.ws.rs.ext.Provider;
import java.util.List;

@Path("/")
@Consumes(MediaType.APPLICATION_JSON)
@Produces(MediaType.APPLICATION_JSON)
public class Resources {
    public static class Leg {
        @NotBlank
        public String from;
        @Size(max = 3)
        public String to;
    }

    public static class Crew {
        @NotNull
        @Valid
        public Leg entered;
        public Leg left;
        public List<@Valid Leg> legs;
    }

    @POST
    @Path("valid")
    public Response valid(@Valid Leg leg) { return Response.ok().build(); }

    @POST
    @Path("needed")
    public Response needed(@NotNull @Valid Leg leg) { return Response.ok().build(); }

    @POST
    @Path("idle")
    public Response idle(Leg leg) { return Response.ok().build(); }

    @POST
    @Path("crew")
    public Response crew(@Valid Crew crew) { return Response.ok().build(); }

    @POST
    @Path("list")
    public Response list(@Valid List<Leg> legs) { return Response.ok().build(); }

    @GET
    @Path("query")
    public Response query(@QueryParam("page") @Max(9) int page, @QueryParam("text") @NotNull @Size(max = 3) String text,
                          @QueryParam("limit") @DefaultValue("5") @Max(9) int limit) {
        return Response.ok().build();
    }

    @GET
    @Path("path/{id}")
    public Response path(@PathParam("id") @Max(9) long id) { return Response.ok().build(); }

    @POST
    @Path("guard")
    public Response guard(Leg leg) {
        if (leg.from == null || leg.from.length() > 5) {
            return Response.status(Response.Status.BAD_REQUEST).build();
        }
        if (leg.to != null && !leg.to.matches("[a-z]+")) {
            throw new BadRequestException("to");
        }
        return Response.ok().build();
    }

    @POST
    @Path("thrown")
    public Response thrown(Leg leg) {
        if (leg.from == null || leg.from.isEmpty()) {
            throw new IllegalStateException("from");
        }
        if (leg.to != null && leg.to.length() > 5) {
            throw new Mapped();
        }
        return Response.ok().build();
    }

    public static class Mapped extends RuntimeException {}

    @Provider
    public static class Mapper implements ExceptionMapper<Mapped> {
        public Response toResponse(Mapped error) { return Response.status(409).build(); }
    }
}
