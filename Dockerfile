# docker build -t ulnager . && docker run -p 8000:8000 -v "$PWD/book:/book:ro" ulnager
FROM python:3.13-slim
COPY . /src
RUN pip install --no-cache-dir "/src[web,languages]" && rm -rf /src
USER nobody
WORKDIR /book
EXPOSE 8000
HEALTHCHECK --interval=30s --timeout=3s \
  CMD ["python", "-c", "import urllib.request as u; u.urlopen('http://127.0.0.1:8000/health', timeout=2)"]
CMD ["ulnager", "serve", "--book", "book.toml", "--host", "0.0.0.0", "--name", "*"]
