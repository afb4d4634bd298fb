"""What is in the data: columns, first and last dates, and which rows a period keeps."""
