"""The API and the built front end over HTTP. Heavy work is queued or asked of the desk, never done here."""
