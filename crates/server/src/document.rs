//! The document that describes the API (OpenAPI 3.1), made from the routes.

use crate::types::{Problem, Shoot};
use serde_json::Value;
use std::collections::BTreeSet;
use utoipa::openapi::content::ContentBuilder;
use utoipa::openapi::path::Operation;
use utoipa::openapi::schema::Schema;
use utoipa::openapi::{Info, OpenApi, OpenApiBuilder, Ref, RefOr, ResponseBuilder, Server};
use utoipa::{PartialSchema, ToSchema};

/// Types whose fields may be absent from answers too, because they are left out where empty.
const SPARSE: [&str; 3] = ["PrepareChange", "Details", "Facts"];

/// The document before any route is added.
pub fn begin() -> OpenApi {
    let info = Info::builder()
        .title("Jade Stack")
        .version(env!("CARGO_PKG_VERSION"))
        .description(Some(
            "Everything that the page does: shoots, frames, plans, runs, pictures and saved files. \
             Errors are JSON by RFC 9457, with one sentence for a person and a code for programs.",
        ))
        .build();
    OpenApiBuilder::new().info(info).servers(Some([Server::new("/api")])).build()
}

/// Adds what all operations have in common: errors, and that answers are complete.
pub fn finish(mut document: OpenApi) -> OpenApi {
    // Types that only descriptions of answers name.
    add_schema::<Problem>(&mut document);
    add_schema::<Shoot>(&mut document);
    for path in document.paths.paths.values_mut() {
        let all = [&mut path.get, &mut path.post, &mut path.patch, &mut path.delete];
        all.into_iter().flatten().for_each(add_error);
    }
    let asked = asked(&document);
    let components = document.components.get_or_insert_default();
    for (name, schema) in &mut components.schemas {
        if !asked.contains(name) && !SPARSE.contains(&name.as_str()) {
            complete(schema);
        }
    }
    document
}

/// Adds a type and all that it is made of.
fn add_schema<T: ToSchema + PartialSchema>(document: &mut OpenApi) {
    let mut schemas = vec![(T::name().into_owned(), T::schema())];
    T::schemas(&mut schemas);
    document.components.get_or_insert_default().schemas.extend(schemas);
}

/// Every operation may be refused.
fn add_error(operation: &mut Operation) {
    let content = ContentBuilder::new().schema(Some(Ref::from_schema_name("Problem"))).build();
    let error = ResponseBuilder::new()
        .description("A refusal or failure")
        .content("application/problem+json", content)
        .build();
    operation.responses.responses.insert("default".to_owned(), RefOr::T(error));
}

/// Names of the schemas that bodies of requests are made of, where fields may be absent.
fn asked(document: &OpenApi) -> BTreeSet<String> {
    let whole = serde_json::to_value(document).expect("a document is JSON");
    let mut names = BTreeSet::new();
    let operations = whole["paths"].as_object().into_iter().flat_map(|paths| paths.values());
    let operations = operations.filter_map(Value::as_object).flat_map(|path| path.values());
    let mut open: Vec<&Value> = operations.map(|operation| &operation["requestBody"]).collect();
    while let Some(value) = open.pop() {
        match value {
            Value::Object(fields) => open.extend(fields.values()),
            Value::Array(items) => open.extend(items),
            Value::String(text) => {
                if let Some(name) = text.strip_prefix("#/components/schemas/")
                    && names.insert(name.to_owned())
                {
                    open.push(&whole["components"]["schemas"][name]);
                }
            }
            _ => {}
        }
    }
    names
}

/// Says that all fields are there: answers leave none out.
fn complete(schema: &mut RefOr<Schema>) {
    let RefOr::T(schema) = schema else { return };
    match schema {
        Schema::Object(object) => object.required = object.properties.keys().cloned().collect(),
        Schema::OneOf(one) => one.items.iter_mut().for_each(complete),
        Schema::AllOf(all) => all.items.iter_mut().for_each(complete),
        _ => {}
    }
}
