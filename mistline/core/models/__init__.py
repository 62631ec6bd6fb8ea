"""The networks that ship with Mistline: ONNX files and their model cards."""
